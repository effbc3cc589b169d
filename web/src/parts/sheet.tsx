import { lazy, type ReactNode, Suspense, useState, useSyncExternalStore } from "react";
import { useKeys } from "./keys";

const Drawer = lazy(() => import("./drawer"));

/** From this width there is room for a sheet beside what it is about. */
const roomy = typeof matchMedia === "undefined" ? undefined : matchMedia("(min-width: 1024px)");

function useRoom(): boolean {
  return useSyncExternalStore(
    (tell) => {
      roomy?.addEventListener("change", tell);
      return () => roomy?.removeEventListener("change", tell);
    },
    () => roomy?.matches ?? true,
  );
}

/**
 * Sheet is the right-hand part of a station, about the item under the cursor. Where there is no room beside, it is a
 * drawer, opened by the strip that stands in its stead or by the key D.
 */
export function Sheet({
  label,
  look = "w-[372px] bg-surface",
  children,
}: {
  label: string;
  look?: string;
  children: ReactNode;
}) {
  const room = useRoom();
  const [open, setOpen] = useState(false);
  useKeys(room ? [] : [{ keys: ["d"], label: label.toLowerCase(), run: () => setOpen(true) }]);
  if (room)
    return (
      <section aria-label={label} tabIndex={0} className={`${look} shrink-0 overflow-auto border-l border-line p-4`}>
        {children}
      </section>
    );
  return (
    <Suspense fallback={<div className="w-8 shrink-0 border-l border-line bg-surface" />}>
      <Drawer label={label} look={look} open={open} onOpen={setOpen}>
        {children}
      </Drawer>
    </Suspense>
  );
}
