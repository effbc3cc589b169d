/** The look of everything that opens over the page. */
export const panel =
  "z-40 rounded-lg border border-line-2 bg-surface text-ink shadow-[0_6px_24px_rgb(0_0_0/0.14)] focus:outline-none";
