import { type RefObject, useEffect, useState } from "react";
import { useKeys } from "../parts/keys";
import { scaled } from "../parts/room";

/** How high a row of the wall is, and how wide a card is at least, in pixels. */
export const cardHeight = scaled(306);
const cardWidth = 208;

export type Look = "list" | "wall";

const place = "pelican.catalog.look";

/** useLook is how offers are looked at, kept in the browser: as rows, or as a wall of pictures, so many to a row. */
export function useLook(box: RefObject<HTMLDivElement | null>) {
  const [look, setLook] = useState<Look>(() => (localStorage.getItem(place) === "wall" ? "wall" : "list"));
  const [perRow, setPerRow] = useState(4);
  useEffect(() => {
    const element = box.current;
    if (!element || look === "list") return;
    const measure = () => setPerRow(Math.max(1, Math.floor(element.clientWidth / cardWidth)));
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(element);
    return () => observer.disconnect();
  }, [look, box.current]);
  const change = (next: Look) => {
    localStorage.setItem(place, next);
    setLook(next);
  };
  return { look, change, perRow: look === "wall" ? perRow : 1 };
}

/** useWallKeys move through a wall: arrows go to the card beside or below. */
export function useWallKeys(look: Look, perRow: number, cursor: number, moveTo: (index: number) => void) {
  useKeys(
    look === "list"
      ? []
      : [
          { keys: ["ArrowDown"], label: "", run: () => moveTo(cursor + perRow) },
          { keys: ["ArrowUp"], label: "", run: () => moveTo(cursor - perRow) },
          { keys: ["ArrowRight"], label: "", run: () => moveTo(cursor + 1) },
          { keys: ["ArrowLeft"], label: "", run: () => moveTo(cursor - 1) },
        ],
  );
}
