import { Dialog } from "radix-ui";
import type { ReactNode, RefObject } from "react";
import { panel } from "./panel";

const widths = { usual: "max-w-md", wide: "max-w-2xl", full: "max-w-5xl" };

/** Modal is a dialog once it is open. When it is closed, what it came from has the focus again. */
export function Modal({
  open,
  onClose,
  title,
  children,
  size = "usual",
  from,
}: {
  open: boolean;
  onClose: () => void;
  title: string;
  children: ReactNode;
  size?: keyof typeof widths | undefined;
  from: RefObject<Element | null>;
}) {
  return (
    <Dialog.Root open={open} onOpenChange={(now) => !now && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-[rgb(11_18_26/0.45)]" />
        <Dialog.Content
          aria-describedby={undefined}
          onCloseAutoFocus={(e) => {
            e.preventDefault();
            if (from.current instanceof HTMLElement && from.current.isConnected) from.current.focus();
          }}
          className={`${panel} fixed left-1/2 w-[calc(100vw-2rem)] -translate-x-1/2 overflow-auto p-5 ${size === "full" ? "top-[6vh] max-h-[88vh]" : "top-[14vh] max-h-[76vh]"} ${widths[size]}`}
        >
          <Dialog.Title className="mb-2 text-xl">{title}</Dialog.Title>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
