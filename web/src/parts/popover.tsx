import { Popover } from "radix-ui";
import type { MouseEvent, ReactNode } from "react";
import { panel } from "./panel";

/** Panel is a button with a small panel beside it. */
export function Panel({
  words,
  label,
  className,
  panelLabel,
  panelClass,
  align,
  open,
  onOpen,
  reach,
  onClick,
  children,
}: {
  words: ReactNode;
  label: string | undefined;
  className: string;
  panelLabel: string;
  panelClass: string;
  align: "start" | "end";
  open: boolean;
  onOpen: (open: boolean) => void;
  reach: number | undefined;
  onClick: (e: MouseEvent) => void;
  children: ReactNode;
}) {
  return (
    <Popover.Root open={open} onOpenChange={onOpen}>
      <Popover.Trigger tabIndex={reach} className={className} aria-label={label} onClick={onClick}>
        {words}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content className={`${panel} ${panelClass}`} align={align} sideOffset={4} aria-label={panelLabel}>
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
