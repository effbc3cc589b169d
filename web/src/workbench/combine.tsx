import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { alternativesQuery } from "../catalog/queries";
import { useSession } from "../frame/session";
import { Button, Notice, Picture } from "../parts/controls";
import { countryName } from "../parts/countries";
import { Field } from "../parts/field";
import { useKeys } from "../parts/keys";
import { Money } from "../parts/money";
import { Link, useNavigate, useParams } from "../parts/route";
import { type Column, Table } from "../parts/table";
import { useSay } from "../parts/toast";
import { figure, Landed, pad, pictureColumn, usePurchase } from "./purchase";
import { draftQuery } from "./queries";

type Look = Schemas["WorkbenchCombineResult"];
type Row = Schemas["WorkbenchCombineRow"];
type Joined = Schemas["VariantJoined"];

/** Combine takes variants of another supplier's offer into a draft: the offer is chosen first, then its variants. */
export default function Combine() {
  const params = useParams();
  const [id, offer] = [Number(params.id), Number(params.offer) || 0];
  return offer > 0 ? <Take key={offer} id={id} offer={offer} /> : <ChooseOffer id={id} />;
}

/** ChooseOffer lists who sells the same item, or what words find in the Catalog. */
function ChooseOffer({ id }: { id: number }) {
  const { storeId } = useSession();
  const go = useNavigate();
  const [words, setWords] = useState("");
  const draft = useQuery(draftQuery(id, storeId));
  const same = useQuery({
    ...alternativesQuery(draft.data?.offer_id ?? 0, storeId, "", "", ""),
    enabled: (draft.data?.offer_id ?? 0) > 0,
  });
  const found = useQuery({
    queryKey: ["offers", "to combine", storeId, words.trim()],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/offers", { params: { query: { words: words.trim(), store: storeId, limit: 20 } }, signal })),
    enabled: words.trim() !== "",
    placeholderData: keepPreviousData,
  });
  useKeys([{ keys: ["Escape"], label: "back", run: () => go(`/workbench/${id}`) }]);
  const own = draft.data?.offer_id;
  const asked = words.trim() !== "";
  const rows = (asked ? (found.data?.offers ?? []) : (same.data?.offers ?? [])).filter((o) => o.id !== own);
  const error = draft.error ?? (asked ? found.error : same.error);
  return (
    <main className="min-h-0 grow overflow-auto">
      <div className="border-b border-line bg-surface px-4 py-2.5">
        <h1 className="text-lg">Add a supplier to “{draft.data?.title ?? "…"}”</h1>
        <p className="mb-2 text-sm text-ink-2">
          Choose an offer: its variants join the draft's own, and each is bought where it comes from.
        </p>
        <div className="max-w-96">
          <Field label="Search the Catalog" value={words} onChange={(e) => setWords(e.target.value)} autoFocus />
        </div>
      </div>
      <h2 className="px-4 pt-3 text-base">{asked ? "In the Catalog" : "Offers of the same item"}</h2>
      {error ? (
        <p className="px-4 py-2 text-loss" role="alert">
          {error.message}
        </p>
      ) : rows.length === 0 ? (
        <p className="px-4 py-2 text-ink-2">
          {found.isFetching || same.isFetching || draft.isFetching
            ? "looking…"
            : asked
              ? "Nothing else is found."
              : "Nobody else is known to sell this item. Search for another."}
        </p>
      ) : (
        <ul className="px-2 py-1" aria-label="Offers">
          {rows.map((o) => (
            <li key={o.id}>
              <Link
                to={`/workbench/${id}/combine/${o.id}`}
                className="flex items-center gap-3 rounded-md px-2 py-1.5 hover:bg-sunk"
              >
                <Picture path={o.picture} width={96} className="size-12 min-w-12 border border-line" />
                <span className="min-w-0 grow">
                  <span className="block truncate font-semibold">{o.title}</span>
                  <span className="text-sm text-ink-2">
                    {o.supplier} · {o.source} · {countryName(o.ships_from)}
                  </span>
                </span>
                {o.ladder && (
                  <span className="text-right whitespace-nowrap">
                    <Money of={o.ladder.landed} />
                    <span className="block text-sm text-ink-2">landed</span>
                  </span>
                )}
              </Link>
            </li>
          ))}
        </ul>
      )}
    </main>
  );
}

/** Take shows what taking an offer's variants in would do, lets options be joined by hand, and does it. */
function Take({ id, offer }: { id: number; offer: number }) {
  const { storeId } = useSession();
  const go = useNavigate();
  const [joined, setJoined] = useState<Joined[]>();
  const [take, setTake] = useState(new Map<number, Row["as"]>());
  const body = {
    offer_id: offer,
    ...(joined && { joined }),
    take: [...take].map(([offer_variant_id, as]) => ({ offer_variant_id, as })),
  };
  const look = useQuery<Look, Problem>({
    queryKey: ["combine", id, offer, storeId, body],
    queryFn: ({ signal }) =>
      ask(api.POST("/api/drafts/{id}/combine", { params: { path: { id }, query: { store: storeId } }, body, signal })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const add = useTake(id, body, look.data, () => void look.refetch());
  const rows = look.data?.rows ?? [];
  const taken = rows.filter((r) => r.as !== "none").length;
  const ready = !look.isFetching && look.data?.missing === "" && taken > 0 && !add.isPending;
  useKeys([
    { keys: ["ctrl+Enter"], label: "add the variants", whileTyping: true, run: () => ready && add.mutate() },
    { keys: ["Escape"], label: "back", run: () => go(-1) },
  ]);
  if (look.error && !look.data)
    return (
      <main className="grow">
        <Notice title="These variants cannot be added" error alone>
          <p>{look.error.message}</p>
          <Button onClick={() => go(`/workbench/${id}/combine`)}>Choose another offer</Button>
        </Notice>
      </main>
    );
  if (!look.data) return <main className="p-6 text-ink-2">Matching options…</main>;
  const of = look.data.offer;
  return (
    <main className="flex min-h-0 grow flex-col">
      <div className="border-b border-line bg-surface px-4 py-2.5">
        <h1 className="truncate text-lg">Add variants of “{of.title}”</h1>
        <p className="text-sm text-ink-2">
          {of.supplier} · {of.source} · {countryName(of.ships_from)} ·{" "}
          {of.door ? `${of.door} by ${of.delivery}` : "no delivery to the market"}. Each is bought there; the draft's
          words and pictures stay.
        </p>
      </div>
      <div className="min-h-0 grow overflow-auto">
        <Join look={look.data} joined={joined ?? look.data.joined} onChange={setJoined} />
        <Table
          rows={rows}
          columns={columns((row, as) => setTake((now) => new Map(now).set(row.offer_variant_id, as)), take)}
          rowKey={(r) => r.offer_variant_id}
          label="Variants of the other offer"
          rowClass={(r) => `align-top ${r.as === "none" ? "text-ink-2 [&_img]:opacity-50" : ""}`}
        />
      </div>
      <div className="flex items-center gap-3 border-t border-line bg-surface px-4 py-2">
        <Button tone="main" disabled={!ready} onClick={() => add.mutate()}>
          {taken === 1 ? "Add 1 variant" : `Add ${taken} variants`}
        </Button>
        <Button tone="quiet" onClick={() => go(`/workbench/${id}`)}>
          Cancel
        </Button>
        <span role="status" className={look.data.missing || look.error ? "text-beak-ink" : "text-ink-2"}>
          {look.error?.message || look.data.missing || `The draft will have ${look.data.variants} variants.`}
        </span>
      </div>
    </main>
  );
}

/** useTake adds what was looked at, and offers to take that back. */
function useTake(id: number, body: object & { offer_id: number }, look: Look | undefined, again: () => void) {
  const { storeId } = useSession();
  const say = useSay();
  const go = useNavigate();
  const { show, undo } = usePurchase(id, () => "The variants are out of the draft again.");
  return useMutation<Look, Problem, void>({
    mutationFn: () =>
      ask(
        api.POST("/api/drafts/{id}/combine", {
          params: { path: { id }, query: { store: storeId } },
          body: { ...body, ...(look && { base: look.base }), apply: true },
        }),
      ),
    onSuccess: (made) => {
      if (made.draft) show(made.draft);
      go(`/workbench/${id}`);
      say(`Variants of ${made.offer.supplier} are in the draft.`, false, undo);
    },
    onError: (error) => {
      say(error.message, true);
      again();
    },
  });
}

/** Join says which options are the same on both sides, and what variants are in one that their side lacks. */
function Join({ look, joined, onChange }: { look: Look; joined: Joined[]; onChange: (next: Joined[]) => void }) {
  const change = (at: number, part: Partial<Joined>) =>
    onChange(joined.map((j, i) => (i === at ? { ...j, ...part } : j)));
  /** An option of the other side moves to one of the draft's, or stands by itself. */
  const match = (at: number, other: number) => {
    const next = joined.map((j, i) => ({ ...j, other: i === at ? other : j.other === other ? -1 : j.other }));
    for (let o = 0; o < look.other.length; o++)
      if (!next.some((j) => j.other === o)) next.push({ name: look.other[o]?.name ?? "", own: -1, other: o });
    const kept = next.filter((j) => j.own >= 0 || j.other >= 0);
    onChange(kept.length > 0 ? kept : [{ name: "", own: -1, other: -1 }]);
  };
  return (
    <section className="border-b border-line bg-sunk px-4 py-2.5" aria-label="Options">
      <table>
        <thead>
          <tr className="text-left text-sm text-ink-2">
            <th className="pr-4 font-normal">Option of the draft</th>
            <th className="pr-4 font-normal">its variants</th>
            <th className="pr-4 font-normal">Option of the other offer</th>
            <th className="font-normal">those added</th>
          </tr>
        </thead>
        <tbody>
          {joined.map((j, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: an option has no other name while it is typed
            <tr key={i} className="align-middle">
              <td className="py-1 pr-4">
                {j.own >= 0 ? (
                  <b className="font-semibold">{j.name}</b>
                ) : (
                  <Said label="Name of the new option" value={j.name} onChange={(name) => change(i, { name })} />
                )}
              </td>
              <td className="py-1 pr-4">
                {j.own >= 0 ? (
                  <Values of={look.own[j.own]} />
                ) : (
                  <Said
                    label={`What the draft's own are in ${j.name || "the new option"}`}
                    value={j.own_value ?? ""}
                    onChange={(own_value) => change(i, { own_value })}
                  />
                )}
              </td>
              <td className="py-1 pr-4">
                {j.own >= 0 && look.other.length > 0 ? (
                  <select
                    value={j.other}
                    aria-label={`${j.name} is called there`}
                    onChange={(e) => match(i, Number(e.target.value))}
                    className="rounded-md border border-line-2 bg-surface px-2 py-1"
                  >
                    <option value={-1}>none: say it here</option>
                    {look.other.map((o, at) => (
                      <option key={o.name} value={at}>
                        {o.name}
                      </option>
                    ))}
                  </select>
                ) : (
                  (look.other[j.other]?.name ?? "none")
                )}
              </td>
              <td className="py-1">
                {j.other >= 0 ? (
                  <Values of={look.other[j.other]} />
                ) : (
                  <Said
                    label={`What those added are in ${j.name || "the new option"}`}
                    value={j.other_value ?? ""}
                    onChange={(other_value) => change(i, { other_value })}
                  />
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** Said is a short text that only a person knows. */
function Said({ label, value, onChange }: { label: string; value: string; onChange: (text: string) => void }) {
  const id = useId();
  return (
    <input
      id={id}
      aria-label={label}
      placeholder="say it here"
      value={value}
      maxLength={100}
      onChange={(e) => onChange(e.target.value)}
      className="w-44 rounded-md border border-line-2 bg-surface px-2 py-1"
    />
  );
}

function Values({ of }: { of: Schemas["VariantOption"] | undefined }) {
  const shown = of?.values.slice(0, 5).map((v) => v.name) ?? [];
  const more = (of?.values.length ?? 0) - shown.length;
  return (
    <span className="text-ink-2">
      {shown.join(", ")}
      {more > 0 && ` and ${more} more`}
    </span>
  );
}

/** columns are each variant of the other offer, what it costs, and what becomes of it. */
function columns(put: (row: Row, as: Row["as"]) => void, take: Map<number, Row["as"]>): Column<Row>[] {
  return [
    pictureColumn(),
    {
      id: "there",
      name: "Variant there",
      className: pad,
      show: (r) => (
        <>
          {r.values.join(" ") || "Default"}
          <span className="block text-sm text-ink-2">{r.after.stock.toLocaleString("en")} in stock</span>
        </>
      ),
    },
    { id: "here", name: "In the draft", className: pad, show: (r) => r.name || "—" },
    { id: "landed", name: "Landed", ...figure, show: (r) => <Landed of={r.after} was={r.before} /> },
    { id: "price", name: "Price", ...figure, show: (r) => r.after.ladder && <Money of={r.after.ladder.price} /> },
    {
      id: "profit",
      name: "Profit",
      ...figure,
      show: (r) => r.after.ladder && <Money of={r.after.ladder.profit} signed />,
    },
    {
      id: "as",
      name: "What becomes of it",
      className: `${pad} w-80 pr-4`,
      show: (r) => {
        const as = take.get(r.offer_variant_id) ?? r.as;
        return (
          <>
            <select
              value={as}
              aria-label={`What becomes of ${r.values.join(" ") || "the variant"}`}
              onChange={(e) => put(r, e.target.value as Row["as"])}
              className="w-full rounded-md border border-line-2 bg-surface px-2 py-1"
            >
              {(r.same === 0 || as === "add") && <option value="add">added to the draft</option>}
              {r.same > 0 && <option value="instead">the draft's own is bought here instead</option>}
              <option value="none">{r.same > 0 ? "nothing: the draft's own stays" : "nothing: left out"}</option>
            </select>
            {r.same > 0 && r.before?.ladder && (
              <span className="text-sm text-ink-2">
                The draft has it, landed at <Money of={r.before.ladder.landed} />.
              </span>
            )}
          </>
        );
      },
    },
  ];
}
