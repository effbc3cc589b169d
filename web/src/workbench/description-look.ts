/** The tools of a description, by their names and what stands on them. */
export const tools = [
  { name: "Bold", mark: "B" },
  { name: "Italic", mark: "I" },
  { name: "Heading", mark: "H" },
  { name: "Small heading", mark: "h" },
  { name: "List", mark: "•" },
  { name: "1. Numbered list", mark: "1." },
  { name: "Table", mark: "▦" },
] as const;

/** Begin is what somebody did with a description before its editor was there. */
export type Begin = {
  /** Where it was pressed. */
  point?: { x: number; y: number };
  /** Whether all of it was selected, and what was typed. */
  all?: boolean;
  typed?: string;
  /** The name of a tool that was pressed. */
  tool?: string;
  /** Whether it was left again: the focus stays where it went. */
  left?: boolean;
};

export const frame = "rounded-md border border-line-2 focus-within:border-focus";
export const box = "flex flex-wrap gap-0.5 border-b border-line px-1 py-0.5";
export const mark = "min-h-7 min-w-7 rounded px-1.5 font-bold hover:bg-sunk aria-pressed:bg-beak-wash";
export const words = "prose-plain min-h-36 max-h-56 overflow-auto px-3 py-2 whitespace-pre-wrap break-words";
