import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Choice, Clause } from "../parts/clause";
import { Button, Notice, Picture } from "../parts/controls";
import { countryName } from "../parts/countries";
import { DayRuler, DayWords } from "../parts/days";
import { useKeys } from "../parts/keys";
import { countText, ratingText } from "../parts/known";
import { useCursor } from "../parts/list";
import { Money } from "../parts/money";
import { Link, useLocation, useNavigate, useParams, useSearchParams } from "../parts/route";
import { type Column, Table } from "../parts/table";
import { useSay } from "../parts/toast";
import { LookFor, useLookFor } from "./lookfor";
import { alternativesQuery } from "./queries";

type Alternative = Schemas["MatchingAlternative"];
type Found = Schemas["MatchingAlternatives"];
type Said = "" | "same" | "other";
/** Asked is what only our own pages say, and no address: that a link was asked for here, and the name of a picture. */
type Asked = { asked?: boolean; name?: string } | null;

/** Alternatives shows the offers of one item beside each other: of an offer, or of what a page or a picture shows. */
export default function Alternatives() {
  const [params] = useSearchParams();
  const offer = Number(useParams().id) || 0;
  const asked = (useLocation().state as Asked)?.asked;
  const go = useNavigate();
  const link = params.get("link");
  // An address that did not come from here is not fetched from before somebody says so.
  if (!offer && link && !asked)
    return (
      <main className="grow">
        <Notice title="Look for the item of this page?" alone>
          <p className="break-all">{link}</p>
          <Button
            tone="main"
            onClick={() => go(`/catalog/alternatives?${params}`, { replace: true, state: { asked: true } })}
          >
            Search by this link
          </Button>
        </Notice>
      </main>
    );
  return offer || link || params.get("file") ? <Offers offer={offer} /> : <LookFor />;
}

function Offers({ offer }: { offer: number }) {
  const { storeId, may } = useSession();
  const [params] = useSearchParams();
  const { handlers } = useLookFor();
  const [market = "", link = "", file = ""] = ["market", "link", "file"].map((name) => params.get(name) ?? "");
  const go = useNavigate();
  const found = useQuery({
    ...alternativesQuery(offer, storeId, market, link, file),
    placeholderData: keepPreviousData,
  });
  const rows = found.data?.offers ?? [];
  const id = found.data?.id ?? offer;
  const [cursor, setCursor] = useCursor(rows.length, "offer");
  const here = rows[cursor];
  const set = useDecision(id);
  const mayTell = may("editor") && id > 0;
  // The draft that could be bought from here instead: the one that people came from, or the first that there is.
  const draft = Number(params.get("draft")) || (rows.find((o) => o.is_subject)?.drafts[0] ?? 0);
  const buy = may("editor") && draft > 0 ? (o: Alternative) => go(`/workbench/${draft}/swap/${o.id}`) : undefined;
  const say = (other: Alternative | undefined, said: Said) =>
    other && !other.is_subject && set.mutate({ other, said: other.decision === said ? "" : said });
  useKeys([
    ...(mayTell
      ? [
          { keys: ["n"], label: "not the same", run: () => say(here, "other") },
          { keys: ["s"], label: "the same", run: () => say(here, "same") },
        ]
      : []),
    ...(buy && here && !here.is_subject ? [{ keys: ["b"], label: "buy from here instead", run: () => buy(here) }] : []),
    { keys: ["Enter"], label: "see it in the Catalog", run: () => here && go(`/catalog?offer=${here.id}`) },
    { keys: ["Escape"], label: "back", run: () => go(-1) },
  ]);
  if (found.error && !found.data)
    return (
      <main className="grow">
        <Notice title="Other suppliers cannot be looked for" error alone>
          <p>{found.error.message}</p>
          <Button onClick={() => void found.refetch()}>Look again</Button>
          {!offer && <Button onClick={() => go("/catalog/alternatives")}>Look for something else</Button>}
        </Notice>
      </main>
    );
  return (
    <main className="min-h-0 grow overflow-auto" {...handlers}>
      <div className="border-b border-line bg-surface px-4 py-2.5">
        <h1 className="truncate text-lg">Other suppliers of this item</h1>
        <p className="leading-8">
          <Subject found={found.data} offer={offer} />
          <span className="ml-3 text-sm text-ink-2" aria-live="polite">
            {found.data
              ? `${howMany(rows.length, id > 0)}, looked for in ${Math.max(1, Math.round(found.data.took_ms))} ms`
              : "looking…"}
          </span>
        </p>
      </div>
      <Table
        rows={[...rows, ...(found.data?.packs ?? []), ...(found.data?.doubtful ?? [])]}
        columns={columns({ say: mayTell ? say : undefined, buy, buyable: new Set(rows) })}
        rowKey={(o) => o.id}
        label="Offers of this item"
        cursor={{ at: cursor, set: setCursor, count: rows.length }}
        groupOf={(o) =>
          found.data?.packs.includes(o)
            ? "The same item in another pack"
            : found.data?.doubtful.includes(o)
              ? "Doubtful: say whether it is the same"
              : ""
        }
        rowClass={(o) => (o.is_subject ? "align-top font-semibold" : "align-top")}
      />
      <Differing rows={found.data?.different ?? []} onUndo={mayTell ? (o) => say(o, "other") : undefined} />
      <p className="px-4 py-3 text-sm text-ink-2">
        ▲ unbeaten: no other is at least as good on landed cost, days, on-time rate and rating, and better on one of
        them.{" "}
        {found.data &&
          (found.data.pictures > 0
            ? "First pictures were compared, as far as they were looked at."
            : "It has no picture that could be compared.")}
      </p>
    </main>
  );
}

/** useDecision remembers whether two offers are the same item, and offers to take that back. */
function useDecision(id: number) {
  const client = useQueryClient();
  const tell = useSay();
  const set = useMutation({
    mutationFn: ({ other, said }: { other: Alternative; said: Said }) =>
      ask(
        api.PUT("/api/offers/{id}/alternatives/{other}", {
          params: { path: { id, other: other.id } },
          body: { decision: said },
        }),
      ),
    onSuccess: (_, { other, said }) => {
      void refresh(client, "offer");
      if (said === "") return;
      tell(
        said === "other"
          ? `“${other.title}” is not the same: remembered.`
          : `“${other.title}” is the same: remembered.`,
        false,
        {
          words: "Undo",
          run: () => set.mutate({ other, said: other.decision }),
        },
      );
    },
    onError: (error) => tell(error.message, true),
  });
  return set;
}

/** Subject is what others are looked for of, and the market that they are compared for. */
function Subject({ found, offer }: { found: Found | undefined; offer: number }) {
  const { store } = useSession();
  const [params, setParams] = useSearchParams();
  const state = useLocation().state as Asked;
  const [link, file] = [params.get("link") ?? "", params.get("file") ?? ""];
  const id = found?.id ?? offer;
  const markets = store?.markets ?? [];
  return (
    <>
      {id ? (
        <Link to={`/catalog?offer=${id}`} className="font-semibold underline decoration-line-2 underline-offset-2">
          {found?.title ?? "…"}
        </Link>
      ) : (
        <>
          What {file ? "the picture" : "the page"} shows:{" "}
          {/^https?:/.test(link) ? (
            <a
              href={link}
              target="_blank"
              rel="noreferrer"
              className="font-semibold underline decoration-line-2 underline-offset-2"
            >
              {found?.title ?? link}
            </a>
          ) : (
            <b>{state?.name || "the picture"}</b>
          )}
        </>
      )}
      {found?.market && (
        <>
          , delivered to{" "}
          <Clause label="Market" words={countryName(found.market)}>
            {(close) =>
              markets.map((code) => (
                <Choice
                  key={code}
                  chosen={code === found?.market}
                  onChoose={() => {
                    const next = new URLSearchParams(params);
                    next.set("market", code);
                    if (code === markets[0]) next.delete("market");
                    setParams(next, { replace: true, state });
                    close();
                  }}
                >
                  {countryName(code)}
                </Choice>
              ))
            }
          </Clause>
        </>
      )}
    </>
  );
}

/** Differing are those that people said are another item. */
function Differing({ rows, onUndo }: { rows: Alternative[]; onUndo: ((o: Alternative) => void) | undefined }) {
  const [open, setOpen] = useState(false);
  if (rows.length === 0) return null;
  return (
    <div className="p-4">
      <Button tone="quiet" aria-expanded={open} onClick={() => setOpen(!open)}>
        {rows.length} said not to be the same
      </Button>
      {open && (
        <ul className="mt-2 space-y-1">
          {rows.map((o) => (
            <li key={o.id} className="flex items-center gap-3">
              <Picture path={o.picture} width={96} className="size-8" />
              <span className="truncate">{o.title}</span>
              <span className="text-ink-2">{o.supplier}</span>
              {onUndo && <Button onClick={() => onUndo(o)}>Undo that</Button>}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

/** PackWords say how many come together, and what one piece lands for. */
function PackWords({ o }: { o: Alternative }) {
  if (!o.packs) return null;
  return (
    <span className="block">
      <b>
        {o.packs.there} together, {o.packs.here} here
      </b>
      {o.per_piece && (
        <>
          : <Money of={o.per_piece} /> a piece
          {o.own_per_piece && (
            <>
              , <Money of={o.own_per_piece} /> here
            </>
          )}
        </>
      )}
    </span>
  );
}

function howMany(offers: number, itself: boolean) {
  if (itself && offers <= 1) return "nobody else sells it, as far as is known";
  if (offers === 0) return "nobody sells it, as far as is known";
  return offers === 1 ? "1 offer" : `${offers} offers`;
}

type Acts = {
  say: ((o: Alternative, said: Said) => void) | undefined;
  buy: ((o: Alternative) => void) | undefined;
  /** Those that the draft can be bought from instead. */
  buyable: Set<Alternative>;
};

/** columns are what suppliers are compared by. */
function columns(acts: Acts): Column<Alternative>[] {
  const pad = "px-2 py-1.5";
  return [
    {
      id: "picture",
      name: "Picture",
      unseen: true,
      className: `${pad} w-16 pl-4`,
      show: (o) => <Picture path={o.picture} width={96} className="size-11 min-w-11 border border-line" />,
    },
    {
      id: "offer",
      name: "Offer",
      className: `${pad} w-56 min-w-56`,
      show: (o) => (
        <>
          <span className="line-clamp-2" title={o.title}>
            {o.title}
          </span>
          <span className="block text-sm font-normal text-ink-2">
            {o.supplier} · {o.source} · {countryName(o.ships_from)}
            {o.drafts.length > 0 && <b className="text-profit-ink"> · in the Workbench</b>}
          </span>
        </>
      ),
    },
    {
      id: "evidence",
      name: "Evidence",
      className: `${pad} min-w-64 font-normal`,
      show: (o) => (o.is_subject ? "the one that was asked for" : <Evidence of={o} />),
    },
    {
      id: "landed",
      name: "Landed cost",
      align: "right",
      className: `${pad} whitespace-nowrap`,
      show: (o) => (
        <>
          {o.ladder ? (
            <Money of={o.ladder.landed} />
          ) : (
            <span className="block w-32 text-sm whitespace-normal text-loss">{o.no_price}</span>
          )}
          {o.unbeaten && (
            <span className="block text-sm font-semibold text-profit-ink">
              <span aria-hidden="true">▲</span> unbeaten
            </span>
          )}
        </>
      ),
    },
    {
      id: "shipping",
      name: "Shipping",
      align: "right",
      className: `${pad} whitespace-nowrap`,
      show: (o) => o.ladder && <Money of={o.ladder.shipping} />,
    },
    {
      id: "days",
      name: "Door to door",
      className: pad,
      show: (o) =>
        o.days && (
          <>
            <DayRuler days={o.days} width={92} />
            <DayWords days={o.days} />
          </>
        ),
    },
    ...figures.map(
      ([name, show]): Column<Alternative> => ({
        id: name,
        name,
        align: "right",
        className: `${pad} whitespace-nowrap`,
        show,
      }),
    ),
    {
      id: "acts",
      name: "What to do",
      unseen: true,
      className: `${pad} w-28 whitespace-nowrap`,
      show: (o) => <Decide of={o} acts={acts} />,
    },
  ];
}

const figures: [string, (o: Alternative) => string][] = [
  ["On time", (o) => (o.on_time === null ? "not known" : `${o.on_time} %`)],
  ["Rating", (o) => ratingText(o.rating)],
  ["30 days", (o) => countText(o.units)],
  ["Stock", (o) => (o.stock === null ? "not known" : o.stock === 0 ? "sold out" : o.stock.toLocaleString("en"))],
];

/** Evidence says how sure it is that two are the same item, and by what. */
function Evidence({ of: o }: { of: Alternative }) {
  return (
    <>
      <PackWords o={o} />
      {!o.packs && <b>{o.decision === "same" ? "said to be the same" : `${o.strength} of 100`}</b>}{" "}
      <span className="text-sm text-ink-2">
        {[...o.evidence]
          .sort((a, b) => b.points - a.points)
          .map((e) => (e.points > 0 ? e.said : `but ${e.said}`))
          .join(" · ")}
      </span>
    </>
  );
}

function Decide({ of: o, acts: { say, buy, buyable } }: { of: Alternative; acts: Acts }) {
  if (!say || o.is_subject) return null;
  return (
    <div className="flex flex-col items-start">
      {buy && buyable.has(o) && (
        <Button onClick={() => buy(o)} aria-label={`Buy here, from ${o.supplier}`}>
          Buy here
        </Button>
      )}
      <Button tone="quiet" onClick={() => say(o, "other")} aria-label={`Not the same: ${o.title} of ${o.supplier}`}>
        Not the same
      </Button>
      {o.decision !== "same" && o.strength < 90 && (
        <Button tone="quiet" onClick={() => say(o, "same")} aria-label={`The same: ${o.title} of ${o.supplier}`}>
          The same
        </Button>
      )}
    </div>
  );
}
