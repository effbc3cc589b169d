import { use, useState } from "react";
import type { Draft } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Key, Picture } from "../parts/controls";
import { Fields } from "../parts/fields";
import { Heard } from "../parts/heard";
import { HomeCurrency, Money, num, sayMoney } from "../parts/money";
import { Link, useNavigate } from "../parts/route";
import { Sheet } from "../parts/sheet";
import { ago } from "../parts/time";
import { PagePreview } from "./page-preview";
import { priceField } from "./price";

/** StorePreview shows how the draft will stand in the store, and what is missing before it goes out. */
export function StorePreview({
  draft,
  selected,
  state,
  onClean,
  onPublish,
  onPrice,
  onChange,
  onTidy,
  onHistory,
  onUndo,
  onRedo,
  onDiscard,
}: {
  draft: Draft;
  selected: number;
  /** What is said of edits that are not in the database yet; empty where all are. */
  state: string;
  onClean: () => void;
  onPublish: () => void;
  onPrice: () => void;
  onChange: () => void;
  onTidy: () => void;
  onHistory: () => void;
  onUndo: () => void;
  onRedo: () => void;
  onDiscard: () => void;
}) {
  const { store, may } = useSession();
  const go = useNavigate();
  return (
    <Sheet label="Before publishing" look="flex w-[16rem] flex-col gap-4 bg-paper">
      <Card draft={draft} />
      <Findings draft={draft} onClean={may("editor") ? onClean : undefined} />
      {store ? (
        may("editor") && (
          <div>
            <Button tone="main" onClick={onPublish}>
              Publish {selected > 0 ? `${selected} selected` : "this"}…
            </Button>
            <p className="mt-1 mb-2 text-sm text-ink-2">to {store.name}</p>
            <Button onClick={onPrice}>Change prices{selected > 0 ? ` of ${selected}` : ""}…</Button>
          </div>
        )
      ) : (
        <Button tone="main" onClick={() => go("/store")}>
          Connect a store
        </Button>
      )}
      {may("editor") && (
        <p className="flex flex-wrap gap-1.5">
          {selected > 1 && <Button onClick={onChange}>Change words of {selected}…</Button>}
          <Button onClick={onTidy}>Tidy…</Button>
        </p>
      )}
      <div className="mt-auto space-y-2 text-sm text-ink-2">
        <p>{state || `Saved ${ago(draft.updated_at)}`}</p>
        <Heard words={state || "Saved"} />
        {may("editor") && (
          <p className="flex flex-wrap gap-1">
            {(draft.undo || state) && (
              <Button onClick={onUndo} className="text-left whitespace-normal!">
                Undo {draft.undo}
                {draft.undo_bulk && ` of ${draft.undo_bulk.drafts} drafts`}
              </Button>
            )}
            {draft.redo && (
              <Button onClick={onRedo} className="text-left whitespace-normal!">
                Redo {draft.redo}
              </Button>
            )}
            <Button tone="quiet" onClick={onHistory}>
              History
            </Button>
            <Button tone="quiet" onClick={onDiscard} disabled={draft.live_in.length > 0}>
              Discard
            </Button>
          </p>
        )}
        {draft.live_in.length > 0 && (
          <p>
            Live in {draft.live_in.join(" and ")}, so it cannot be discarded.
            {draft.changed_in.length > 0 && (
              <b className="block font-semibold text-beak-ink">
                Changed here since it was sent to {draft.changed_in.join(" and ")}.
              </b>
            )}
          </p>
        )}
        <p>
          {suppliersOf(draft)} on {draft.source} ·{" "}
          {draft.page_url && (
            <>
              <a href={draft.page_url} target="_blank" rel="noreferrer" className="underline">
                supplier's page
              </a>{" "}
              ·{" "}
            </>
          )}
          <Link to={`/catalog/alternatives/${draft.offer_id}?draft=${draft.id}`} className="underline">
            other suppliers
          </Link>
        </p>
      </div>
    </Sheet>
  );
}

/** suppliersOf names the draft's supplier, and says how many others its variants are bought from. */
function suppliersOf(draft: Draft): string {
  const others = new Set(draft.variants.filter((v) => v.offer_id !== draft.offer_id).map((v) => v.supplier));
  if (others.size === 0) return draft.supplier;
  return `${draft.supplier} and ${others.size === 1 ? [...others][0] : `${others.size} others`}`;
}

/** Card is how a draft stands in the store: its first picture, title and lowest price. */
function Card({ draft }: { draft: Draft }) {
  const [page, setPage] = useState(false);
  const priced = draft.variants
    .filter((v) => v.chosen && v.ladder)
    .sort(
      (a, b) =>
        num((a.ladder as NonNullable<typeof a.ladder>).price) - num((b.ladder as NonNullable<typeof b.ladder>).price),
    );
  const lowest = priced[0]?.ladder?.price;
  return (
    <div>
      <h2 className="mb-2 flex items-baseline justify-between text-base">
        Store preview
        <button
          type="button"
          className="min-h-6 font-sans text-sm font-normal underline underline-offset-2"
          onClick={() => setPage(true)}
        >
          Page
        </button>
      </h2>
      {page && <PagePreview draft={draft} onClose={() => setPage(false)} />}
      <div className="overflow-hidden rounded-lg border border-line bg-surface">
        <Picture path={draft.picture} width={400} className="aspect-[4/3] w-full rounded-none" />
        <div className="p-3">
          <p className="line-clamp-2 font-semibold">{draft.own.title || draft.title || "No title"}</p>
          {lowest && (
            <p>
              {priced.length > 1 && num(priced.at(-1)?.ladder?.price ?? lowest) !== num(lowest) && (
                <span className="text-ink-2">from </span>
              )}
              <Money of={lowest} />
              {priced[0]?.ladder?.was && (
                <s className="ml-1.5 text-ink-2">
                  <Money of={priced[0].ladder.was} />
                </s>
              )}
            </p>
          )}
        </div>
      </div>
    </div>
  );
}

/** The parts of a draft that are made ready, in the order of the keys that lead to them. */
const areas = ["description", "pictures", "variants", "price"];

/** Findings are what a draft lacks before it goes out. */
function Findings({ draft, onClean }: { draft: Draft; onClean: (() => void) | undefined }) {
  const home = use(HomeCurrency);
  const shown = draft.pictures.filter((p) => p.shown).length;
  const sells = draft.variants.filter((v) => v.chosen).length;
  const fields = use(Fields);
  const toArea = (area: string) => {
    const priced = draft.variants.find((v) => fields.has(priceField(v.id)));
    const name = area === "description" ? "title" : area === "price" && priced ? priceField(priced.id) : area;
    fields.come(name);
  };
  return (
    <div>
      <h2 className="mb-1 text-base">Before publishing</h2>
      <ul className="space-y-1.5">
        {draft.report.findings.map((f) => (
          <li key={f.words} className="flex gap-2">
            <span aria-hidden="true" className={`font-bold ${f.stops ? "text-loss" : "text-beak-ink"}`}>
              {f.stops ? "×" : "!"}
            </span>
            <span>
              {sayMoney(f.words, home)} {f.stops && <b className="text-loss">Blocks publishing.</b>}{" "}
              <button type="button" className="min-h-6 underline underline-offset-2" onClick={() => toArea(f.area)}>
                {f.area} <Key>{areas.indexOf(f.area) + 1}</Key>
              </button>
              {f.kind === "contact_in_description" && onClean && (
                <Button className="mt-1" onClick={onClean}>
                  Remove contact details
                </Button>
              )}
            </span>
          </li>
        ))}
        {draft.report.ready && (
          <li className="flex gap-2">
            <span aria-hidden="true" className="font-bold text-profit-ink">
              ✓
            </span>
            Title, {shown === 1 ? "1 picture" : `${shown} pictures`}, {sells === 1 ? "1 variant" : `${sells} variants`}:
            it can go out.
          </li>
        )}
      </ul>
    </div>
  );
}
