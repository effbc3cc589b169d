import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useLocation, useNavigate, useParams, useSearchParams } from "react-router";
import { api, ask, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { cell, number } from "../parts/cells";
import { Choice, Clause } from "../parts/clause";
import { Button, Notice, Picture } from "../parts/controls";
import { countryName } from "../parts/countries";
import { DayRuler, DayWords } from "../parts/days";
import { useKeys } from "../parts/keys";
import { countText, ratingText } from "../parts/known";
import { useCursor } from "../parts/list";
import { Money } from "../parts/money";
import { useSay } from "../parts/toast";
import { LookFor, useLookFor } from "./lookfor";
import { alternativesQuery } from "./queries";

type Alternative = Schemas["CatalogAlternative"];
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
      <main>
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
  const { storeId, store, may } = useSession();
  const [params, setParams] = useSearchParams();
  const state = useLocation().state as Asked;
  const { handlers } = useLookFor();
  const [market = "", link = "", file = ""] = ["market", "link", "file"].map((name) => params.get(name) ?? "");
  const go = useNavigate();
  const client = useQueryClient();
  const tell = useSay();
  const [apart, setApart] = useState(false);
  const found = useQuery({
    ...alternativesQuery(offer, storeId, market, link, file),
    placeholderData: keepPreviousData,
  });
  const rows = found.data?.offers ?? [];
  const id = found.data?.id ?? offer;
  const [cursor, setCursor] = useCursor(rows.length, "offer");
  const here = rows[cursor];
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
      <main>
        <Notice title="Other suppliers cannot be looked for" error alone>
          <p>{found.error.message}</p>
          <Button onClick={() => void found.refetch()}>Look again</Button>
          {!offer && <Button onClick={() => go("/catalog/alternatives")}>Look for something else</Button>}
        </Notice>
      </main>
    );
  const markets = store?.markets ?? [];
  return (
    <main className="min-h-0 grow overflow-auto" {...handlers}>
      <div className="border-b border-line bg-surface px-4 py-2.5">
        <h1 className="truncate text-lg">Other suppliers of this item</h1>
        <p className="leading-8">
          {id ? (
            <Link to={`/catalog?offer=${id}`} className="font-semibold underline decoration-line-2 underline-offset-2">
              {found.data?.title ?? "…"}
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
                  {found.data?.title ?? link}
                </a>
              ) : (
                <b>{state?.name || "the picture"}</b>
              )}
            </>
          )}
          {found.data?.market && (
            <>
              , delivered to{" "}
              <Clause label="Market" words={countryName(found.data.market)}>
                {(close) =>
                  markets.map((code) => (
                    <Choice
                      key={code}
                      chosen={code === found.data?.market}
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
          <span className="ml-3 text-sm text-ink-2" aria-live="polite">
            {found.data
              ? `${howMany(rows.length, id > 0)}, looked for in ${Math.max(1, Math.round(found.data.took_ms))} ms`
              : "looking…"}
          </span>
        </p>
      </div>
      <table className="w-full border-collapse text-left">
        <thead className="text-sm text-ink-2">
          <tr className="border-b border-line">
            <th className={`${cell} pl-4 font-normal`} colSpan={2}>
              Offer
            </th>
            <th className={`${cell} font-normal`}>Evidence</th>
            <th className={`${number} font-normal`}>Landed cost</th>
            <th className={`${number} font-normal`}>Shipping</th>
            <th className={`${cell} font-normal`}>Door to door</th>
            <th className={`${number} font-normal`}>On time</th>
            <th className={`${number} font-normal`}>Rating</th>
            <th className={`${number} font-normal`}>30 days</th>
            <th className={`${number} font-normal`}>Stock</th>
            <td className={cell} />
          </tr>
        </thead>
        <tbody>
          {rows.map((o, i) => (
            <Row
              key={o.id}
              o={o}
              current={i === cursor}
              onPoint={() => setCursor(i)}
              say={mayTell ? say : undefined}
              buy={buy}
            />
          ))}
        </tbody>
        <Further
          heading="The same item in another pack"
          rows={found.data?.packs ?? []}
          say={mayTell ? say : undefined}
        />
        <Further
          heading="Doubtful: say whether it is the same"
          rows={found.data?.doubtful ?? []}
          say={mayTell ? say : undefined}
        />
      </table>
      {(found.data?.different.length ?? 0) > 0 && (
        <div className="p-4">
          <Button tone="quiet" aria-expanded={apart} onClick={() => setApart(!apart)}>
            {found.data?.different.length} said not to be the same
          </Button>
          {apart && (
            <ul className="mt-2 space-y-1">
              {found.data?.different.map((o) => (
                <li key={o.id} className="flex items-center gap-3">
                  <Picture path={o.picture} width={96} className="size-8" />
                  <span className="truncate">{o.title}</span>
                  <span className="text-ink-2">{o.supplier}</span>
                  {mayTell && <Button onClick={() => say(o, "other")}>Undo that</Button>}
                </li>
              ))}
            </ul>
          )}
        </div>
      )}
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

/** Further lists offers that are not the item itself, and why. */
function Further({
  heading,
  rows,
  say,
}: {
  heading: string;
  rows: Alternative[];
  say: ((o: Alternative, said: Said) => void) | undefined;
}) {
  if (rows.length === 0) return null;
  return (
    <tbody>
      <tr>
        <th colSpan={11} scope="rowgroup" className="px-4 pt-5 pb-1 text-left font-semibold">
          {heading}
        </th>
      </tr>
      {rows.map((o) => (
        <Row key={o.id} o={o} current={false} say={say} buy={undefined} />
      ))}
    </tbody>
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

function Row({
  o,
  current,
  onPoint,
  say,
  buy,
}: {
  o: Alternative;
  current: boolean;
  onPoint?: () => void;
  say: ((o: Alternative, said: Said) => void) | undefined;
  buy: ((o: Alternative) => void) | undefined;
}) {
  return (
    <tr
      id={`offer-${o.id}`}
      aria-selected={current}
      onClick={onPoint}
      className={`border-b border-line ${current ? "bg-surface shadow-[inset_3px_0_0_var(--beak)]" : ""} ${o.is_subject ? "font-semibold" : ""}`}
    >
      <td className={`${cell} w-16 pl-4`}>
        <Picture path={o.picture} width={96} className="size-11 min-w-11 border border-line" />
      </td>
      <td className={`${cell} w-56 min-w-56`}>
        <span className="line-clamp-2" title={o.title}>
          {o.title}
        </span>
        <span className="block text-sm font-normal text-ink-2">
          {o.supplier} · {o.source} · {countryName(o.ships_from)}
          {o.drafts.length > 0 && <b className="text-profit-ink"> · in the Workbench</b>}
        </span>
      </td>
      <td className={`${cell} min-w-64 font-normal`}>
        {o.is_subject ? (
          "the one that was asked for"
        ) : (
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
        )}
      </td>
      <td className={number}>
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
      </td>
      <td className={number}>{o.ladder && <Money of={o.ladder.shipping} />}</td>
      <td className={cell}>
        {o.days && (
          <>
            <DayRuler days={o.days} width={92} />
            <DayWords days={o.days} />
          </>
        )}
      </td>
      <td className={number}>{o.on_time === null ? "not known" : `${o.on_time} %`}</td>
      <td className={number}>{ratingText(o.rating)}</td>
      <td className={number}>{countText(o.units)}</td>
      <td className={number}>
        {o.stock === null ? "not known" : o.stock === 0 ? "sold out" : o.stock.toLocaleString("en")}
      </td>
      <td className={`${cell} w-28 whitespace-nowrap`}>
        {say && !o.is_subject && (
          <div className="flex flex-col items-start">
            {buy && (
              <Button onClick={() => buy(o)} aria-label={`Buy the draft from ${o.supplier} instead`}>
                Buy here
              </Button>
            )}
            <Button
              tone="quiet"
              onClick={() => say(o, "other")}
              aria-label={`${o.title} of ${o.supplier} is not the same`}
            >
              Not the same
            </Button>
            {o.decision !== "same" && o.strength < 90 && (
              <Button
                tone="quiet"
                onClick={() => say(o, "same")}
                aria-label={`${o.title} of ${o.supplier} is the same`}
              >
                The same
              </Button>
            )}
          </div>
        )}
      </td>
    </tr>
  );
}
