import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button } from "../parts/controls";
import { PriceLadder } from "../parts/ladder";
import { Money, num } from "../parts/money";
import { Link } from "../parts/route";
import { Table } from "../parts/table";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { type Listing, listingQuery } from "./queries";

type Full = Schemas["PublishingListingInFull"];
type Difference = Full["here"][number];

/** fieldNames are the fields of a product in words. */
const fieldNames: Record<string, string> = {
  title: "Title",
  description_html: "Description",
  vendor: "Vendor",
  type: "Type",
  collections: "Collections",
  tags: "Tags",
  search_title: "Search title",
  search_description: "Search description",
  visible: "Visible",
  sell_when_out_of_stock: "Selling on when out of stock",
  options: "Options",
  variants: "Variant",
  pictures: "Pictures",
  "variants.values": "Values",
  "variants.sku": "SKU",
  "variants.price": "Price",
  "variants.was_price": "Was price",
  "variants.stock": "Stock",
  "variants.barcode": "Barcode",
  "variants.picture": "Picture",
};

/** What can be sent and not taken: the draft has it from its supplier or by rule. */
const sentOnly = new Set(["variants.was_price", "variants.picture"]);

/** ListingSheet is a listing in full: what differs from its draft and in the store, and what it was sent as. */
export function ListingSheet({ listing, onSend }: { listing: Listing; onSend: (drafts: number[]) => void }) {
  const { data, error } = useQuery(listingQuery(listing.id));
  const { may } = useSession();
  return (
    <>
      <h2 className="mb-1 text-lg">{listing.title}</h2>
      <p className="mb-3 text-sm text-ink-2">
        Published {ago(listing.published_at)}, sent {ago(listing.updated_at)}
        {listing.seen_at && `, the store was read ${ago(listing.seen_at)}`}
        {listing.offer_url && (
          <>
            {" "}
            ·{" "}
            <a href={listing.offer_url} target="_blank" rel="noreferrer" className="underline">
              supplier's page
            </a>
          </>
        )}
      </p>
      {listing.gone && (
        <p className="mb-3 text-loss">
          The store does not have it any more. Send it again to make it anew, or take it down here.
        </p>
      )}
      {listing.withdrawn && (
        <p className="mb-3 text-loss">
          {listing.supplier} has stopped selling it.{" "}
          <Link to={`/catalog/alternatives/${listing.offer_id}?draft=${listing.draft_id}`} className="underline">
            Other suppliers
          </Link>
        </p>
      )}
      {listing.duplicates.length > 0 && <Duplicates of={listing} />}
      {error && (
        <p className="text-loss" role="alert">
          {error.message}
        </p>
      )}
      {data && (
        <>
          {data.there.length > 0 && <There of={data} onSend={onSend} />}
          {data.here.length > 0 && (
            <section className="mb-4" aria-label="Changed here since it was sent">
              <h3 className="mb-1 font-semibold">Changed here since it was sent</h3>
              <Differences list={data.here} ours="here" theirs="as sent" of={data} />
              {data.missing && <p className="mt-1 text-sm text-loss">It cannot go out yet: {data.missing}</p>}
              {may("editor") && (
                <Button onClick={() => onSend([listing.draft_id])} className="mt-2">
                  Send again…
                </Button>
              )}
            </section>
          )}
          {data.there.length === 0 && data.here.length === 0 && !listing.gone && (
            <p className="mb-4 text-profit-ink">The store has it as it is here.</p>
          )}
          <PriceHistory of={data} />
          <Sent of={data} />
        </>
      )}
    </>
  );
}

/** There is what was changed in the store; each field is taken into the draft, or sent again as it was sent before. */
function There({ of, onSend }: { of: Full; onSend: (drafts: number[]) => void }) {
  const { may } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const settled = {
    onError: (error: Error) => say(error.message, true),
    onSettled: () => refresh(client, "listings", "draft", "drafts"),
  };
  const body = (fields: string[]) => ({ params: { path: { id: of.id } }, body: { fields } });
  const take = useMutation({
    mutationFn: (fields: string[]) => ask(api.POST("/api/listings/{id}/take-theirs", body(fields))),
    onSuccess: () => say("The draft is as the store shows it. It can be undone in the Workbench."),
    ...settled,
  });
  const send = useMutation({
    mutationFn: (fields: string[]) => ask(api.POST("/api/listings/{id}/send-ours", body(fields))),
    onSuccess: () => say("The store shows it again as it was sent."),
    ...settled,
  });
  const busy = take.isPending || send.isPending;
  const fields = [...new Set(of.there.map((d) => d.field))];
  return (
    <section className="mb-4 rounded-md bg-sunk p-2.5" aria-label="Changed in the store">
      <h3 className="mb-1 font-semibold">Changed in the store</h3>
      {fields.map((field) => {
        const name = (fieldNames[field] ?? field).toLowerCase();
        return (
          <div key={field} className="mb-2">
            <Differences
              list={of.there.filter((d) => d.field === field)}
              ours="as sent"
              theirs="in the store"
              of={of}
            />
            {may("editor") && (
              <div className="mt-1 flex flex-wrap gap-1">
                {!sentOnly.has(field) && (
                  <Button onClick={() => take.mutate([field])} disabled={busy}>
                    Take their {name}
                  </Button>
                )}
                <Button onClick={() => send.mutate([field])} disabled={busy}>
                  Send our {name}
                </Button>
              </div>
            )}
          </div>
        );
      })}
      {may("editor") && fields.length > 1 && (
        <Button tone="quiet" onClick={() => onSend([of.draft_id])}>
          Send all of ours…
        </Button>
      )}
    </section>
  );
}

/** Differences are fields with what they are on either side. */
function Differences({ list, ours, theirs, of }: { list: Difference[]; ours: string; theirs: string; of: Full }) {
  const name = (reference: string) =>
    of.sent.find((v) => String(v.variant_id) === reference)?.values.join(" ") ?? reference;
  return (
    <dl className="space-y-1 text-sm">
      {list.slice(0, 30).map((d) => (
        <div key={`${d.field} ${d.variant}`}>
          <dt className="font-semibold">
            {fieldNames[d.field] ?? d.field}
            {d.variant && d.field !== "variants" && ` of ${name(d.variant)}`}
          </dt>
          <dd className="break-words">
            <span className="text-ink-2">{ours}</span> {plain(d.ours)} <br />
            <span className="text-ink-2">{theirs}</span> {plain(d.theirs)}
          </dd>
        </div>
      ))}
      {list.length > 30 && <p className="text-ink-2">and {list.length - 30} more</p>}
    </dl>
  );
}

/** plain is a value as a line: of HTML its words, of much the beginning. */
function plain(value: string): string {
  const text = value
    .replace(/<[^>]*>/g, " ")
    .replace(/\s+/g, " ")
    .trim();
  if (text === "") return "nothing";
  return text.length > 160 ? `${text.slice(0, 160)}…` : text;
}

function Duplicates({ of: l }: { of: Listing }) {
  const { may } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const remove = useMutation({
    mutationFn: () => ask(api.POST("/api/listings/{id}/duplicates/remove", { params: { path: { id: l.id } } })),
    onSuccess: () => say("Removed from the store. The listing itself stays."),
    onError: (error) => say(error.message, true),
    onSettled: () => refresh(client, "listings"),
  });
  const one = l.duplicates.length === 1;
  return (
    <p className="mb-3 text-loss">
      The store holds{" "}
      {l.duplicates.map((d, i) => (
        <a key={d.id} href={d.url} target="_blank" rel="noreferrer" className="underline">
          {i === 0 ? (one ? "one more" : "several more") : ` (${i + 1})`}
        </a>
      ))}{" "}
      of it.
      {may("editor") && (
        <Button className="ml-2" onClick={() => remove.mutate()} disabled={remove.isPending}>
          Remove {one ? "it" : "them"}
        </Button>
      )}
    </p>
  );
}

/** PriceHistory draws the lowest price over time as steps. */
function PriceHistory({ of }: { of: Full }) {
  if (of.prices.length < 2) return null;
  const [width, height] = [320, 64];
  const from = Date.parse(of.prices[0]?.at ?? "");
  const span = Math.max(1, Date.now() - from);
  const values = of.prices.map((p) => num(p.price));
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const x = (at: number) => ((at - from) / span) * width;
  const y = (v: number) => height - 8 - ((v - low) / Math.max(0.01, high - low)) * (height - 16);
  const path = of.prices
    .map((p, i) => {
      const at = x(Date.parse(p.at)).toFixed(1);
      return i === 0 ? `M${at} ${y(num(p.price)).toFixed(1)}` : `H${at} V${y(num(p.price)).toFixed(1)}`;
    })
    .join(" ");
  const first = of.prices[0];
  const last = of.prices.at(-1);
  return (
    <section className="mb-4" aria-label="Price over time">
      <h3 className="mb-1 font-semibold">Lowest price over time</h3>
      <svg
        viewBox={`0 0 ${width} ${height}`}
        className="w-full"
        role="img"
        aria-label={`From ${first?.price.value} to ${last?.price.value} ${last?.price.currency}, changed ${of.prices.length - 1} times`}
      >
        <path d={`${path} H${width}`} fill="none" stroke="var(--beak)" strokeWidth="2" />
      </svg>
      <p className="flex justify-between text-sm text-ink-2">
        <span>
          {first && <Money of={first.price} />} {ago(first?.at)}
        </span>
        <span>{last && <Money of={last.price} />} now</span>
      </p>
    </section>
  );
}

/** Sent are the variants as they were sent, with what each price was made of. */
function Sent({ of }: { of: Full }) {
  const top = Math.max(1, ...of.sent.map((v) => (v.ladder ? Math.max(num(v.ladder.price), num(v.ladder.landed)) : 0)));
  return (
    <section aria-label="As it was sent">
      <h3 className="mb-1 font-semibold">As it was sent</h3>
      <Table
        rows={of.sent}
        rowKey={(v) => v.variant_id || v.sku}
        label="Variants as they were sent"
        columns={[
          {
            id: "variant",
            name: "Variant",
            className: "py-1 pr-2",
            show: (v) => (
              <>
                {v.values.join(" ") || "Default"}
                <span className="block text-sm text-ink-2">{v.sku}</span>
              </>
            ),
          },
          {
            id: "ladder",
            name: "Price ladder",
            className: "py-1 pr-2",
            show: (v) => (v.ladder ? <PriceLadder ladder={v.ladder} top={top} width={92} /> : "not known any more"),
          },
          {
            id: "profit",
            name: "Profit",
            align: "right",
            className: "py-1",
            show: (v) => v.ladder && <Money of={v.ladder.profit} signed />,
          },
        ]}
      />
    </section>
  );
}
