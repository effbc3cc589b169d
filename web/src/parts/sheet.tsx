import type { ReactNode } from "react";

/** Sheet is the right-hand part of a station, about the item under the cursor. */
export function Sheet({ label, children }: { label: string; children: ReactNode }) {
  return (
    <section
      aria-label={label}
      tabIndex={0}
      className="hidden w-[372px] shrink-0 overflow-auto border-l border-line bg-surface p-4 lg:block"
    >
      {children}
    </section>
  );
}
