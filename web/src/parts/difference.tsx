/** A Piece of a difference: in both texts, taken out of the first, or new in the second. */
export type Piece = { text: string; is: "same" | "gone" | "new" };

const maxWords = 400;

/**
 * differenceOf pairs the words of two texts by their longest common subsequence; of very long ones the whole is taken
 * out and put in.
 */
export function differenceOf(before: string, after: string): Piece[] {
  const a = before.split(/(\s+)/).filter(Boolean);
  const b = after.split(/(\s+)/).filter(Boolean);
  if (a.length > maxWords || b.length > maxWords)
    return [
      { text: before, is: "gone" as const },
      { text: after, is: "new" as const },
    ].filter((p) => p.text);
  const longest = Array.from({ length: a.length + 1 }, () => new Uint16Array(b.length + 1));
  const at = (i: number, j: number) => longest[i]?.[j] ?? 0;
  for (let i = a.length - 1; i >= 0; i--)
    for (let j = b.length - 1; j >= 0; j--)
      (longest[i] as Uint16Array)[j] = a[i] === b[j] ? at(i + 1, j + 1) + 1 : Math.max(at(i + 1, j), at(i, j + 1));
  const pieces: Piece[] = [];
  const put = (text: string, is: Piece["is"]) => {
    const last = pieces.at(-1);
    if (last?.is === is) last.text += text;
    else pieces.push({ text, is });
  };
  let i = 0;
  let j = 0;
  while (i < a.length || j < b.length) {
    if (i < a.length && j < b.length && a[i] === b[j]) {
      put(a[i] as string, "same");
      i++;
      j++;
    } else if (j >= b.length || (i < a.length && at(i + 1, j) >= at(i, j + 1))) put(a[i++] as string, "gone");
    else put(b[j++] as string, "new");
  }
  return pieces;
}

/** Difference shows a text as it was and as it would be: what goes is struck through, what comes is marked. */
export function Difference({ before, after }: { before: string; after: string }) {
  return (
    <span className="break-words">
      {differenceOf(before, after).map((p, i) =>
        p.is === "gone" ? (
          // biome-ignore lint/suspicious/noArrayIndexKey: the pieces of one text keep their order
          <del key={i} className="bg-loss-wash text-loss">
            {p.text}
          </del>
        ) : p.is === "new" ? (
          // biome-ignore lint/suspicious/noArrayIndexKey: the pieces of one text keep their order
          <ins key={i} className="bg-profit-wash text-profit-ink">
            {p.text}
          </ins>
        ) : (
          p.text
        ),
      )}
      {after === "" && <span className="text-ink-2"> (nothing)</span>}
    </span>
  );
}
