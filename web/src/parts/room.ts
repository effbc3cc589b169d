import { useSyncExternalStore } from "react";

/** media tells whether a media query holds, and is heard when that changes. */
function media(query: string) {
  const list = typeof matchMedia === "undefined" ? undefined : matchMedia(query);
  const listen = (tell: () => void) => {
    list?.addEventListener("change", tell);
    return () => list?.removeEventListener("change", tell);
  };
  return { listen, holds: () => list?.matches ?? false };
}

const roomy = media("(width >= 64rem)");
const narrow = media("(width < 48rem)");

/** useRoom tells whether there is room for a sheet beside what it is about. */
export const useRoom = () => useSyncExternalStore(roomy.listen, roomy.holds);

/** useNarrow tells whether the screen is so narrow that rows are cards of two lines: a phone, or much zoom. */
export const useNarrow = () => useSyncExternalStore(narrow.listen, narrow.holds);

/** type is how much larger than usual the browser is told to write, 1 for 16 px. */
const type =
  typeof document === "undefined" ? 1 : Number.parseFloat(getComputedStyle(document.documentElement).fontSize) / 16;

/** scaled is a height in pixels, for type of the size that the browser is told to write. */
export const scaled = (pixels: number) => Math.round(pixels * type);
