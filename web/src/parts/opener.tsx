import { type MouseEvent, type ReactNode, useRef, useState } from "react";
import { later, useLater } from "./later";
import { useReach } from "./list";

const popover = later(() => import("./popover"));

/** Opener is a button with a small panel, which is made once it is opened: a list has one in each row. */
export function Opener({
  words,
  label,
  className,
  panelLabel,
  panelClass,
  align = "start",
  open: opened,
  onOpen,
  apart = false,
  children,
}: {
  words: ReactNode;
  /** Its name, where that is more than its words. */
  label?: string | undefined;
  className: string;
  panelLabel: string;
  panelClass: string;
  align?: "start" | "end";
  /** Where who uses it wants to know whether it is open. */
  open?: boolean | undefined;
  onOpen?: ((open: boolean) => void) | undefined;
  /** Whether what it stands in hears nothing of a click on it. */
  apart?: boolean;
  children: (close: () => void) => ReactNode;
}) {
  const [own, setOwn] = useState(false);
  const open = opened ?? own;
  const setOpen = onOpen ?? setOwn;
  const made = useRef(false);
  const part = useLater(popover, open);
  if (open && part) made.current = true;
  const reach = useReach();
  const heard = (e: MouseEvent) => apart && e.stopPropagation();
  if (!part || !made.current)
    return (
      <button
        type="button"
        tabIndex={reach}
        className={className}
        aria-label={label}
        aria-haspopup="dialog"
        aria-expanded={false}
        onClick={(e) => {
          heard(e);
          setOpen(true);
        }}
      >
        {words}
      </button>
    );
  return (
    <part.Panel
      words={words}
      label={label}
      className={className}
      panelLabel={panelLabel}
      panelClass={panelClass}
      align={align}
      open={open}
      onOpen={setOpen}
      reach={reach}
      onClick={heard}
    >
      {children(() => setOpen(false))}
    </part.Panel>
  );
}
