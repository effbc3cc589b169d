/** within is the first thing in an element that takes the focus: the row with the cursor, where it is a list. */
function within(element: Element): HTMLElement | null {
  return (
    element.querySelector<HTMLElement>("[role=row][tabindex='0']") ??
    (element instanceof HTMLElement && element.tabIndex >= 0
      ? element
      : element.querySelector<HTMLElement>("a[href],button:not(:disabled),input,textarea,select,[tabindex='0']"))
  );
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
