import type { ReactNode } from "react";
import { Button, Dialog } from "./controls";

/** Confirm asks before something is done: Enter does it, Escape leaves everything as it is. */
export function Confirm({
  open,
  onClose,
  title,
  act,
  tone = "danger",
  onDo,
  children,
}: {
  open: boolean;
  onClose: () => void;
  title: string;
  /** What its button says. */
  act: string;
  tone?: "danger" | "main";
  onDo: () => void;
  children: ReactNode;
}) {
  return (
    <Dialog open={open} onClose={onClose} title={title}>
      <p className="mb-4">{children}</p>
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button
          tone={tone}
          autoFocus
          onClick={() => {
            onDo();
            onClose();
          }}
        >
          {act}
        </Button>
      </div>
    </Dialog>
  );
}
