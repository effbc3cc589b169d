import { Popover } from "radix-ui";
import { type MouseEvent, type ReactNode, useRef, useState } from "react";
import { useReach } from "./list";
import { panel } from "./panel";

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
  if (open) made.current = true;
  const reach = useReach();
  const heard = (e: MouseEvent) => apart && e.stopPropagation();
  if (!made.current)
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
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger tabIndex={reach} className={className} aria-label={label} onClick={heard}>
        {words}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content className={`${panel} ${panelClass}`} align={align} sideOffset={4} aria-label={panelLabel}>
          {children(() => setOpen(false))}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
