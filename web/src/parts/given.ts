import { type DragEvent, useEffect } from "react";

/** useGivenPicture takes a picture that is pasted anywhere, or dropped on what gets its handlers. */
export function useGivenPicture(take: (picture: File) => void) {
  useEffect(() => {
    const paste = (e: ClipboardEvent) => {
      const picture = [...(e.clipboardData?.files ?? [])].find((f) => f.type.startsWith("image/"));
      if (picture) take(picture);
    };
    document.addEventListener("paste", paste);
    return () => document.removeEventListener("paste", paste);
  }, [take]);
  return {
    onDragOver: (e: DragEvent) => e.preventDefault(),
    onDrop: (e: DragEvent) => {
      e.preventDefault();
      const picture = e.dataTransfer.files[0];
      if (picture) take(picture);
    },
  };
}
