import { broughtTo } from "./keys";
import { takes, within } from "./parts";

/** Where the focus was: an element, and what it stood in, from its parent up to its dialog, panel or view. */
type Place = { element: HTMLElement; from: { parent: Element; at: number }[]; frame: Element };

const frames = "[role=dialog],[role=menu],main,header,footer";
const settled = 60; // ms: by then what is drawn anew has taken the focus, where it does so itself
const disabledFor = 600; // ms that a button may be disabled, while what it began goes on, before the focus moves on
const remembered = 8;

let places: Place[] = [];

function placeOf(element: HTMLElement): Place | undefined {
  const frame = element.closest(frames);
  if (!frame || frame === element) return undefined;
  const from: Place["from"] = [];
  for (let at: Element = element; at !== frame && at.parentElement; at = at.parentElement)
    from.push({ parent: at.parentElement, at: [...at.parentElement.children].indexOf(at) });
  return { element, from, frame };
}

/** near is what stands where the focus was, or next to it, as far as that is still there. */
function near({ from, frame }: Place): HTMLElement | undefined {
  if (!frame.isConnected) return undefined;
  for (const [depth, { parent, at }] of from.entries()) {
    if (!parent.isConnected) continue;
    const row = parent.closest("[role=grid]")?.querySelector("[data-cursor]") ?? undefined;
    if (takes(row)) return row;
    const there = [...parent.children];
    for (const next of [...there.slice(at), ...there.slice(0, at).reverse()]) {
      // The same of the next, where there is one: who removes several goes on from one to the next.
      const same = from.slice(0, depth).reduceRight<Element | undefined>((e, step) => e?.children[step.at], next);
      const found = takes(same) && same.tabIndex >= 0 ? same : within(next);
      if (found) return found;
    }
  }
  return frame instanceof HTMLElement && frame.matches("main") ? asFocusable(frame) : undefined;
}

function asFocusable(view: HTMLElement): HTMLElement {
  view.tabIndex = -1;
  return view;
}

/** nowhere says that nothing has the focus, or a dialog as a whole, which takes it when what had it is removed. */
const nowhere = () =>
  document.activeElement === null ||
  document.activeElement === document.body ||
  document.activeElement.matches("[role=dialog]");

// Where the work is, as it was last seen, and whether the view as a whole has the focus.
let view: Element | null = null;
let address = "";
let onView = false;

/** find gives the focus back where it was lost: to what it was on before, to what stands there now, or to the view. */
function find() {
  if (!nowhere()) return;
  const overlay = document.querySelector("[role=dialog]");
  for (const place of [...places].reverse()) {
    if (overlay && !overlay.contains(place.frame)) continue;
    const next = takes(place.element) ? place.element : near(place);
    if (next) {
      if (next !== place.element) broughtTo(next);
      next.focus({ preventScroll: true });
      return;
    }
    if (place.frame.matches("main") && !place.frame.isConnected) break; // it is another view
  }
  const main = document.querySelector("main");
  if (main && !overlay) asFocusable(main).focus({ preventScroll: true });
}

/**
 * keepFocus watches over the focus from now on: where what has it is removed or disabled, the focus goes to what stands
 * in its place, and where the view is another, into that, so that who works by keyboard or hears the screen goes on
 * from there. WCAG 2.2, 2.4.3.
 */
export function keepFocus() {
  if (address) return;
  view = document.querySelector("main");
  address = window.location.pathname;
  let timer = 0;
  const later = (ms: number) => {
    clearTimeout(timer);
    timer = window.setTimeout(find, ms);
  };
  let disabled: Element | undefined; // had the focus when it was disabled
  let begun = false; // before anything was done, the page is still coming
  for (const type of ["keydown", "pointerdown"])
    document.addEventListener(
      type,
      () => {
        begun = true;
      },
      { capture: true, once: true },
    );
  const come = (target: EventTarget | null) => {
    disabled = undefined;
    onView = target instanceof Element && target.matches("main");
    const place = target instanceof HTMLElement && placeOf(target);
    if (place) places = [...places.filter((p) => p.element !== place.element).slice(1 - remembered), place];
  };
  come(document.activeElement);
  document.addEventListener("focusin", (e) => come(e.target));
  // A field that is left with Escape, or by a click beside everything, is left on purpose.
  document.addEventListener("focusout", ({ target }) =>
    queueMicrotask(() => {
      if (target instanceof HTMLElement && nowhere() && takes(target)) places = [];
    }),
  );
  new MutationObserver((changes) => {
    const last = places.at(-1)?.element;
    const main = document.querySelector("main");
    // Another view; or the same, which is there now instead of what stood for it.
    const moved = begun && main && main !== view && (onView || window.location.pathname !== address);
    if (main && main !== view) [view, address] = [main, window.location.pathname];
    if ((last && !last.isConnected) || (moved && nowhere())) return later(settled);
    if (!last || !changes.some((c) => c.target === last && c.attributeName)) return;
    if (last.matches(":disabled")) {
      disabled = last;
      later(disabledFor);
    } else if (disabled === last && nowhere()) last.focus({ preventScroll: true });
  }).observe(document.body, { childList: true, subtree: true, attributes: true, attributeFilter: ["disabled"] });
}
