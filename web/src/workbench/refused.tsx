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
      const theirs = fields.map((f) => p.refused?.theirs?.[f]).find((v) => typeof v === "string");
      return (
        <div key={p.id} role="alert" className="mb-3 rounded-md border border-loss bg-loss-wash p-3">
          <p>
            <b>Your {fields.map((f) => names[f]).join(" and ")} could not be saved.</b> {p.refused?.words}
          </p>
          {typeof theirs === "string" && (
            <p className="mt-1 line-clamp-3">It is now: “{theirs.replace(/<[^>]*>/g, " ").trim()}”</p>
          )}
          <p className="mt-1 line-clamp-3">
            Yours: “
            {fields
              .map((f) => p.change[f])
              .map((v) =>
                typeof v === "string"
                  ? v.replace(/<[^>]*>/g, " ").trim()
                  : typeof v === "object"
                    ? shortly(v)
                    : String(v),
              )
              .join("; ")}
            ”
          </p>
          <p className="mt-2 flex gap-2">
            <Button onClick={() => retry(p.id)}>Save mine</Button>
            <Button tone="quiet" onClick={() => drop(p.id)}>
              Discard mine
            </Button>
          </p>
        </div>
      );
    });
}

function shortly(value: unknown): string {
  if (Array.isArray(value) && value.every((v) => typeof v === "string")) return value.join(", ");
  if (Array.isArray(value) && value.length > 0 && typeof (value[0] as { price?: string }).price === "string")
    return (value as { price: string }[]).map((v) => v.price || "the rule's price").join(", ");
  return "as you left them";
}
