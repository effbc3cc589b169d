import { Dialog } from "radix-ui";
import type { ReactNode } from "react";
import { panel } from "./panel";

/** Drawer is a sheet over the page, opened by the strip at its right. */
export default function Drawer({
  label,
  look,
  open,
  onOpen,
  children,
}: {
  label: string;
  look: string;
  open: boolean;
  onOpen: (open: boolean) => void;
  children: ReactNode;
}) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpen}>
      <Dialog.Trigger className="flex w-8 shrink-0 items-center justify-center border-l border-line bg-surface font-semibold [writing-mode:vertical-rl] hover:bg-sunk max-md:h-11 max-md:w-full max-md:border-t max-md:border-l-0 max-md:[writing-mode:horizontal-tb]">
        {label}
        <span aria-hidden="true" className="ml-1 md:hidden">
          ▴
        </span>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-[rgb(11_18_26/0.45)]" />
        <Dialog.Content
          aria-describedby={undefined}
          className={`${panel} ${look} fixed inset-y-0 right-0 max-w-[92vw] overflow-auto rounded-none p-4`}
        >
          <div className="mb-2 flex items-center justify-between">
            <Dialog.Title className="text-sm text-ink-2">{label}</Dialog.Title>
            <Dialog.Close className="min-h-7 rounded-md px-2 font-semibold hover:bg-sunk">Close</Dialog.Close>
          </div>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
