import { lazy, type ReactNode, Suspense, useEffect, useRef, useState } from "react";
import { useKeys } from "./keys";
import { useRoom } from "./room";

const Drawer = lazy(() => import("./drawer"));

/**
 * Sheet is the right-hand part of a station, about the item under the cursor. Where there is no room beside, it is a
 * drawer, opened by the row itself, by the strip that stands in its stead, or by the key D.
 */
export function Sheet({
  label,
  look = "w-[23.25rem] bg-surface",
  children,
}: {
  label: string;
  look?: string;
  children: ReactNode;
}) {
  const room = useRoom();
  const [open, setOpen] = useState(false);
  const strip = useRef<HTMLDivElement>(null);
  useKeys(room ? [] : [{ keys: ["d"], label: label.toLowerCase(), run: () => setOpen(true) }]);
  useEffect(() => {
    if (room) return;
    const rows = strip.current?.closest("main");
    const onTap = (e: MouseEvent) => {
      const on = e.target instanceof Element ? e.target : null;
      if (on?.closest("[data-opens-sheet] [role=row]") && !on.closest("a,button,input,label,[role=columnheader]"))
        setOpen(true);
    };
    rows?.addEventListener("click", onTap);
    return () => rows?.removeEventListener("click", onTap);
  }, [room]);
  if (room)
    return (
      <section
        aria-label={label}
        data-part="sheet"
        tabIndex={0}
        className={`${look} shrink-0 overflow-auto border-l border-line p-4`}
      >
        {children}
      </section>
    );
  return (
    <div ref={strip} className="flex shrink-0 max-md:sticky max-md:bottom-0 max-md:z-10">
      <Suspense fallback={<div className="w-8 shrink-0 border-l border-line bg-surface" />}>
        <Drawer label={label} look={look} open={open} onOpen={setOpen}>
          {children}
        </Drawer>
      </Suspense>
    </div>
  );
}
