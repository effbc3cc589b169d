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

const roomy = media("(min-width: 1024px)");
const narrow = media("(max-width: 767px)");

/** useRoom tells whether there is room for a sheet beside what it is about. */
export const useRoom = () => useSyncExternalStore(roomy.listen, roomy.holds);

/** useNarrow tells whether the screen is so narrow that rows are cards of two lines: a phone, or much zoom. */
export const useNarrow = () => useSyncExternalStore(narrow.listen, narrow.holds);
