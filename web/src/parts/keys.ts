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

/** LetterKeys are whether single letters act: by themselves, with Alt alone, or not at all. */
export type LetterKeys = "plain" | "alt" | "off";
let letters: LetterKeys = "plain";

/** setLetterKeys says how single letters act from now on, WCAG 2.1.4. */
export function setLetterKeys(to: LetterKeys) {
  letters = to;
}

/** letter is a key that is a character by itself, with Shift perhaps, the first of a sequence too. */
const letter = (key: string) => /^(shift\+)?.$/u.test(key) && key !== " ";

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

/** moving are the keys that lead the focus on. */
const moving = /^(Tab|F6|Arrow\w+|Home|End)$/;

// How the focus came to each element: by a key that leads it on, or by the pointer. Where a dialog gives it back, it
// came as it did before. The browser's :focus-visible does not tell: what was clicked has it from the first key on.
const cameByKey = new WeakMap<EventTarget, boolean>();
let last: "key" | "pointer" | undefined;

if (typeof document !== "undefined") {
  document.addEventListener("pointerdown", () => (last = "pointer"), true);
  document.addEventListener("keydown", (e) => (last = moving.test(e.key) ? "key" : undefined), true);
  document.addEventListener(
    "focusin",
    (e) => {
      if (last && e.target) cameByKey.set(e.target, last === "key");
      last = undefined;
    },
    true,
  );
}

/** broughtTo says of an element that the focus was brought to it, since what had it is gone: letters act on. */
export function broughtTo(element: Element) {
  cameByKey.set(element, false);
}

/** meant is the key that was meant: with Alt where letters need it, and none where they are off. */
function meant(key: string, target: EventTarget | null): string | undefined {
  if (letters === "alt" && key.startsWith("alt+") && letter(key.slice(4))) return key.slice(4);
  if (!letter(key)) return key;
  if (letters !== "plain") return undefined;
  if (/^[0-9]$/.test(key)) return key; // they lead from field to field, of which some are buttons
  // Who came to a link or button by key means that; where the pointer left the focus, letters act on.
  const control = target instanceof Element ? target.closest("a,button,[role=button],summary") : null;
  return control && cameByKey.get(control) !== false ? undefined : key;
}

/** onKey finds the newest layer's binding for a key, unless a dialog or menu has the keyboard. */
function onKey(event: KeyboardEvent) {
  if (event.defaultPrevented || event.isComposing) return;
  const target = event.target;
  const inOverlay = target instanceof Element && target.closest("[role=dialog],[role=menu],[role=listbox]");
  if (inOverlay) return;
  const key = meant(pressed(event), target);
  if (key === undefined) return;
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
  ).filter((b) => letters !== "off" || b.keys.some((k) => !letter(k.split(" ")[0] ?? "")));
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
export function keyName(of: string): string {
  const key = letters === "alt" && letter(of.split(" ")[0] ?? "") ? `alt+${of}` : of;
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
