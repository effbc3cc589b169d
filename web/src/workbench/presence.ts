import { useEffect, useRef, useSyncExternalStore } from "react";
import { api } from "../api/client";

/** Here is where somebody says they are. */
type Here = { draft_id: number; member_id: number; name: string; field: string; gone?: boolean };

/** How long it counts that somebody said where they are, and how often one says it, in ms. */
const holds = 60_000;
const every = 25_000;

let all: (Here & { until: number })[] = [];
const listeners = new Set<() => void>();

function set(next: typeof all) {
  all = next;
  for (const tell of listeners) tell();
}

/** heardOf takes in where somebody says they are. */
export function heardOf(event: Here) {
  const others = all.filter((h) => h.member_id !== event.member_id && h.until > Date.now());
  set(event.gone ? others : [...others, { ...event, until: Date.now() + holds }]);
}

/** fieldIn is what the field is called that has the focus in an element; empty where none has. */
function fieldIn(element: Element | null): string {
  if (!element?.matches("input,textarea,[contenteditable=true]")) return "";
  return (element.getAttribute("aria-label") ?? "").slice(0, 40);
}

/** usePresence says that one is in a draft, and in which field, and gives the others who are. */
export function usePresence(draft: number, own: number): Here[] {
  const last = useRef("");
  useEffect(() => {
    if (!draft) return;
    const say = (field: string, gone = false) =>
      void api
        .POST("/api/drafts/{id}/here", { params: { path: { id: draft } }, body: { field, gone } })
        .catch(() => {});
    let soon: ReturnType<typeof setTimeout> | undefined;
    const now = () => {
      last.current = fieldIn(document.activeElement);
      if (!document.hidden) say(last.current);
    };
    const moved = () => {
      clearTimeout(soon);
      soon = setTimeout(() => fieldIn(document.activeElement) !== last.current && now(), 700);
    };
    soon = setTimeout(now, 1500); // not of each that one passes by
    const timer = setInterval(now, every);
    document.addEventListener("focusin", moved);
    return () => {
      clearTimeout(soon);
      clearInterval(timer);
      document.removeEventListener("focusin", moved);
      say("", true);
    };
  }, [draft]);
  const heard = useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => all,
  );
  return heard.filter((h) => h.draft_id === draft && h.member_id !== own && h.until > Date.now());
}
