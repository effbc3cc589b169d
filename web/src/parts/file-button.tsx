import { type ReactNode, useRef } from "react";
import { Button } from "./controls";

/** FileButton is a button by which a file is chosen; the same one, corrected, may be chosen again. */
export function FileButton({
  label,
  accept,
  tone,
  ready,
  onFile,
  children,
}: {
  /** What the file is. */
  label: string;
  accept: string;
  tone?: "quiet";
  ready?: boolean;
  onFile: (file: File) => void;
  children: ReactNode;
}) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button {...(tone && { tone })} {...(ready !== undefined && { ready })} onClick={() => input.current?.click()}>
        {children}
      </Button>
      <input
        ref={input}
        type="file"
        accept={accept}
        aria-label={label}
        className="sr-only"
        tabIndex={-1}
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = "";
          if (file) onFile(file);
        }}
      />
    </>
  );
}
