import { Button } from "../parts/controls";
import { drop, type Edit, type Pending, retry } from "./pending";

const names: Partial<Record<keyof Edit, string>> = {
  title: "title",
  description: "description",
  collections: "collections",
  tags: "tags",
  pictures: "pictures",
  options: "options",
  chosen: "choice of variants",
  prices: "prices",
  codes: "SKU and barcode",
  type: "type",
  vendor: "vendor",
  search_title: "search title",
  search_description: "search description",
  own_title: "title for this store",
  own_description: "description for this store",
  reserve: "stock reserve",
  delivery: "delivery",
  tray: "tray",
  restore: "supplier's originals",
};

/**
 * Refused shows each edit that was not taken, with what stands there now and a choice: nothing that was typed is
 * lost.
 */
export function Refused({ edits }: { edits: Pending[] }) {
  return edits
    .filter((p) => p.refused)
    .map((p) => {
      const fields = (Object.keys(p.change) as (keyof Edit)[]).filter((f) => names[f]);
      const conflict = p.refused?.conflict;
      const theirs = conflict && textOf(conflict.theirs);
      return (
        <div key={p.id} role="alert" className="mb-3 rounded-md border border-loss bg-loss-wash p-3">
          <p>
            <b>Your {fields.map((f) => names[f]).join(" and ")} could not be saved.</b> {p.refused?.words}
          </p>
          {theirs && (
            <p className="mt-1 line-clamp-3">
              {conflict?.by || "Somebody"}'s: “{theirs}”
            </p>
          )}
          <p className="mt-1 line-clamp-3">
            Yours: “{fields.map((f) => textOf(p.change[f]) ?? "as you left them").join("; ")}”
          </p>
          <p className="mt-2 flex gap-2">
            <Button onClick={() => retry(p.id)}>{conflict ? "Use mine" : "Save mine"}</Button>
            <Button tone="quiet" onClick={() => drop(p.id)}>
              {conflict ? "Keep theirs" : "Discard mine"}
            </Button>
          </p>
        </div>
      );
    });
}

/** textOf is a field's value as text, where it is one that reads as such. */
function textOf(value: unknown): string | undefined {
  if (typeof value === "string") return value.replace(/<[^>]*>/g, " ").trim();
  if (!Array.isArray(value)) return undefined;
  if (value.every((v) => typeof v === "string")) return value.join(", ");
  if (value.length > 0 && typeof (value[0] as { price?: string }).price === "string")
    return (value as { price: string }[]).map((v) => v.price || "the rule's price").join(", ");
  return undefined;
}
