/** takes says whether an element can be given the focus. */
export const takes = (element: Element | undefined): element is HTMLElement =>
  element instanceof HTMLElement && element.isConnected && !element.matches(":disabled") && element.checkVisibility();

/** within is the first thing in an element that takes the focus: the row with the cursor, where it is a list. */
export function within(element: Element): HTMLElement | undefined {
  const row = element.querySelector("[role=row][tabindex='0']") ?? undefined;
  if (takes(row)) return row;
  if (takes(element) && element.tabIndex >= 0) return element;
  return [...element.querySelectorAll("a[href],button,input,textarea,select,[tabindex='0']")].find(takes);
}

/** parts are those of the screen, in the order of reading: the header, the list or what stands there, the sheet. */
function parts(): Element[] {
  const main = document.querySelector("main");
  const list = main?.querySelector("[role=grid]");
  const sheet = main?.querySelector("[data-part=sheet]");
  return [document.querySelector("header"), list ?? main, sheet].filter((e) => e != null);
}

/** nextPart moves the focus to the next part of the screen, or the one before. */
export function nextPart(by: 1 | -1) {
  const all = parts();
  const inside = all.map((part) => part.contains(document.activeElement));
  // The sheet stands in main: the last that has the focus is where it is.
  const at = Math.max(0, inside.lastIndexOf(true));
  const next = all[(at + by + all.length) % all.length] ?? all[0];
  if (next) within(next)?.focus();
}

/** toWork moves the focus past the header, to the list or what stands in its place. */
export function toWork() {
  const [, work] = parts();
  if (work) within(work)?.focus();
}
