import { useEffect, useRef, useSyncExternalStore } from "react";

/** A Binding is a key that works here now. */
export type Binding = {
  /** "j", "shift+x", "ctrl+z", "g c" (one after the other), "Escape", "ArrowDown". */
  keys: string[];
  /** What the key line says; empty is not shown there. */
  label: string;
  run: () => void;
  /** Works in every place: in the list of all keys, not in the key line. */
  everywhere?: boolean;
  /** Also while typing in a field. */
  whileTyping?: boolean;
};

type Layer = { bindings: Binding[] };

let layers: Layer[] = [];
let shown: Binding[] = [];
const listeners = new Set<() => void>();
let pending = "";
let pendingUntil = 0;

function changed() {
  const named = layers.flatMap((layer) => layer.bindings).filter((b) => b.label !== "");
  shown = [...named.filter((b) => !b.everywhere), ...named.filter((b) => b.everywhere)];
  for (const tell of listeners) tell();
}

function typing(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName)) &&
    target.getAttribute("type") !== "checkbox"
  );
}

/** idle is a cell of a grid that has the focus while nothing is typed in it: Ctrl and a letter act as outside of it. */
function idle(target: EventTarget | null, key: string): boolean {
  return key.startsWith("ctrl+") && target instanceof HTMLElement && target.dataset.unchanged !== undefined;
}

function pressed(event: KeyboardEvent): string {
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
  const shift = event.shiftKey && (event.key.length > 1 || /[a-z]/i.test(event.key)) ? "shift+" : "";
  return `${event.ctrlKey || event.metaKey ? "ctrl+" : ""}${event.altKey ? "alt+" : ""}${shift}${key}`;
}

/** onKey finds the newest layer's binding for a key, unless a dialog or menu has the keyboard. */
function onKey(event: KeyboardEvent) {
  if (event.defaultPrevented || event.isComposing) return;
  const target = event.target;
  const inOverlay = target instanceof Element && target.closest("[role=dialog],[role=menu],[role=listbox]");
  if (inOverlay) return;
  const key = pressed(event);
  // Enter and Space belong to the control that has the focus.
  if (
    (key === "Enter" || key === " ") &&
    target instanceof Element &&
    target.closest("button,a,[role=button],summary,[role=checkbox],[role=radio],[role=switch]")
  )
    return;
  const sequence = Date.now() < pendingUntil ? `${pending} ${key}` : "";
  const find = (keys: string) =>
    [...layers]
      .reverse()
      .flatMap((layer) => layer.bindings)
      .find((binding) => binding.keys.includes(keys) && (binding.whileTyping || !typing(target) || idle(target, keys)));
  // A key that ends a sequence is no key by itself.
  const binding = (sequence && find(sequence)) || find(key);
  if (binding) {
    event.preventDefault();
    pendingUntil = 0;
    binding.run();
    return;
  }
  if (!typing(target) && layers.some((l) => l.bindings.some((b) => b.keys.some((k) => k.startsWith(`${key} `))))) {
    pending = key;
    pendingUntil = Date.now() + 1200;
  }
}

if (typeof document !== "undefined") document.addEventListener("keydown", onKey);

/** useKeys makes keys work while the component is there. The newest component's come first. */
export function useKeys(bindings: Binding[]) {
  const current = useRef(bindings);
  current.current = bindings;
  const signature = bindings.map((b) => `${b.keys.join(",")}=${b.label}`).join(";");
  // biome-ignore lint/correctness/useExhaustiveDependencies: the signature says when keys or labels differ
  useEffect(() => {
    const layer: Layer = {
      bindings: current.current.map((binding, i) => ({ ...binding, run: () => current.current[i]?.run() })),
    };
    layers = [...layers, layer];
    changed();
    return () => {
      layers = layers.filter((l) => l !== layer);
      changed();
    };
  }, [signature]);
}

/** useShownKeys are the bindings that the key line shows. */
export function useShownKeys(): Binding[] {
  return useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => shown,
  );
}

const names: Record<string, string> = {
  ArrowUp: "↑",
  ArrowDown: "↓",
  ArrowLeft: "←",
  ArrowRight: "→",
  Escape: "Esc",
  " ": "Space",
};

/** keyName writes a key as it stands on a keyboard. */
export function keyName(key: string): string {
  return key
    .split(" ")
    .map((part) =>
      part
        .split("+")
        .map((k) => names[k] ?? (k.length === 1 ? k.toUpperCase() : k[0]?.toUpperCase() + k.slice(1)))
        .join(" "),
    )
    .join(" then ");
}
