import { useQuery } from "@tanstack/react-query";
import { lazy, memo, Suspense, useCallback, useEffect, useEffectEvent, useRef } from "react";
import type { Offer, Problem, Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Notice, Picture, Tick } from "../parts/controls";
import { countryName } from "../parts/countries";
import { DayRuler, DayWords } from "../parts/days";
import { Grid, GridRow, type Head } from "../parts/grid";
import { useKept } from "../parts/kept";
import { useKeys } from "../parts/keys";
import { countText, ratingText, soldText, stockText } from "../parts/known";
import { LadderLegend, PriceLadder, sharedTop } from "../parts/ladder";
import { useCursor, useRows } from "../parts/list";
import { Money, percent } from "../parts/money";
import { useHeld, useRested } from "../parts/rest";
import { DemandRibbon } from "../parts/ribbon";
import { scaled } from "../parts/room";
import { Link, useNavigate, useSearchParams } from "../parts/route";
import { useSay } from "../parts/toast";
import { OfferTrace } from "../parts/trace";
import { sourcesQuery } from "../sources/queries";
import { cardHeight, type Look, useLook, useWallKeys } from "./look";
import { useLookFor } from "./lookfor";
import { OfferSheetView } from "./offer";
import {
  asAddress,
  maxCompared,
  nothingAsked,
  positionQuery,
  type Question,
  useAnswer,
  useOffers,
  useQuestion,
  withoutStore,
} from "./question";
import { Sentence } from "./sentence";
import { maxTaken, useTake } from "./take";

const Wall = lazy(() => import("./wall"));

const rowHeight = scaled(65);
/** Rows that are listed: laying out more takes long, and a browser shows nothing beyond some half a million of them. */
const mostRows = 100_000;
const columns =
  "grid grid-cols-[2.25rem_3.25rem_minmax(9.375rem,1fr)_10.5rem_6.75rem_6.5rem_4.5rem] items-center gap-x-3 max-md:grid-cols-[2rem_2.75rem_minmax(0,1fr)_auto] max-md:gap-x-2";

const heads: Head[] = [
  { words: "Selected", unseen: true },
  { words: "Picture", unseen: true },
  { words: "Offer" },
  { words: "Price ladder" },
  { words: "Door to door" },
  { words: "Sold, 52 weeks" },
  { words: "Profit", className: "text-right" },
];

/** Catalog finds offers by a sentence, judges one at a time, and takes them to the Workbench. */
export default function Catalog() {
  const { storeId, may } = useSession();
  const { question, open, change, settle } = useQuestion(storeId);
  const answer = useAnswer(question, storeId);
  const found = useRested(answer.data);
  const current = !answer.isPlaceholderData && found === answer.data;
  const answered = useHeld(question, !current); // the question whose answer is in sight
  const count = Math.min(found?.total ?? 0, mostRows);
  const [cursor, setCursor, moveTo] = useCursor(count, "offer");
  const listBox = useRef<HTMLDivElement>(null);
  const { look, change: setLook, perRow } = useLook(listBox);
  const { box, items, size, first, last } = useRows(
    Math.ceil(count / perRow),
    look === "wall" ? cardHeight : rowHeight,
    Math.floor(cursor / perRow),
    listBox,
    { of: JSON.stringify(answered), asked: answered !== question },
  );
  const lastOffer = Math.min(count - 1, (last + 1) * perRow - 1);
  const row = useOffers(answered, storeId, found, first * perRow, lastOffer);
  useWallKeys(look, perRow, cursor, moveTo);
  const sources = useQuery(sourcesQuery);
  const { selected, setMarked, mark } = useSelection();
  const search = useRef<HTMLInputElement>(null);
  const here = row(cursor);
  const take = useTake(() => setMarked(new Map()));
  const say = useSay();

  const { shownOffer, sheetOffer } = useAddress({ question, answered, open, cursor, setCursor, here, found });

  const extendSelection = (by: number) => {
    if (here && !selected.has(here.id)) mark(here);
    moveTo(cursor + by);
  };
  const takeNow = () => {
    const ids = selected.size > 0 ? [...selected.keys()] : shownOffer ? [shownOffer] : [];
    if (ids.length > 0) take.start(ids);
  };
  const go = useNavigate();
  const { handlers } = useLookFor(); // a picture may be dropped or pasted anywhere here
  const beside = () => {
    if (selected.size > maxCompared)
      say(`Up to ${maxCompared} offers can be compared: ${selected.size} are selected.`, true);
    else if (selected.size > 1) go(`/catalog/compare/${[...selected.keys()].join(",")}`);
  };
  useKeys([
    { keys: ["x"], label: "select", run: () => mark(here) },
    { keys: ["shift+j", "shift+ArrowDown"], label: "extend selection", run: () => extendSelection(1) },
    { keys: ["shift+k", "shift+ArrowUp"], label: "", run: () => extendSelection(-1) },
    ...(may("editor") ? [{ keys: ["t"], label: "take to the Workbench", run: takeNow }] : []),
    { keys: ["c"], label: selected.size > 1 ? "side by side" : "", run: beside },
    { keys: ["e"], label: "other suppliers", run: () => shownOffer && go(`/catalog/alternatives/${shownOffer}`) },
    { keys: ["w"], label: look === "wall" ? "list" : "wall of pictures", run: () => setLook(otherLook(look)) },
    { keys: ["/"], label: "search", run: () => search.current?.select() },
    { keys: ["Escape"], label: "", run: () => setMarked(new Map()) },
  ]);

  const seen = items.flatMap((item) => Array.from({ length: perRow }, (_, i) => row(item.index * perRow + i)?.ladder));
  const top = sharedTop(seen);
  return (
    <main className="flex min-h-0 grow flex-col" {...handlers} data-answers={current ? question.words : undefined}>
      <h1 className="sr-only">Catalog</h1>
      <Sentence
        question={question}
        change={change}
        settle={settle}
        found={found}
        current={current}
        sources={sources.data ?? []}
        searchRef={search}
      />
      <div className="flex min-h-0 grow max-md:shrink-0 max-md:flex-col">
        <div className="flex min-w-0 grow flex-col">
          {answer.error && !answer.data ? (
            <NotAnswered
              error={answer.error as Problem}
              onAgain={() => void answer.refetch()}
              onWithoutStore={() => change(withoutStore(question))}
            />
          ) : count === 0 && found ? (
            <NothingFound
              hasSources={(sources.data ?? []).some((s) => s.state === "connected")}
              emptied={found.emptied}
              onWords={(words) => change({ words })}
              onClear={() => change(nothingAsked)}
            />
          ) : look === "wall" ? (
            <Suspense>
              <Wall
                box={box}
                items={items}
                size={size}
                count={count}
                perRow={perRow}
                row={row}
                top={top}
                cursor={cursor}
                selected={selected}
                onPoint={setCursor}
                onSelect={mark}
              />
            </Suspense>
          ) : (
            <Grid box={box} label="Offers" count={count} size={size} heads={heads} headClass={`${columns} pr-4`} many>
              {items.map((item) => (
                <OfferRow
                  key={item.key}
                  store={storeId}
                  worth={question.sort === "worth"}
                  index={item.index}
                  start={item.start}
                  offer={row(item.index)}
                  top={top}
                  current={item.index === cursor}
                  selected={selected.has(row(item.index)?.id ?? 0)}
                  onPoint={setCursor}
                  onSelect={mark}
                />
              ))}
            </Grid>
          )}
          <Foot
            look={look}
            onLook={() => setLook(otherLook(look))}
            end={lastOffer >= mostRows - 1}
            taxed={seen.some((l) => Number(l?.tax.value ?? 0) > 0)}
            selected={selected.size}
            total={found?.total ?? 0}
            onClear={() => setMarked(new Map())}
            onBeside={beside}
            onTake={takeNow}
            onTakeAll={() => void take.all(question, storeId)}
            busy={take.busy}
          />
        </div>
        {/* Its place is there before it: the list does not change its width. */}
        {(sheetOffer !== undefined || answer.isPending || count > 0) && (
          <OfferSheetView id={sheetOffer} soldOut={question.soldOut} onTake={take.start} busy={take.busy} />
        )}
      </div>
      {take.dialog}
    </main>
  );
}

/** useSelection are the offers that are selected, also while another view is looked at. */
function useSelection() {
  const [selected, setMarked] = useKept<Map<number, Offer>>("catalog.selected", () => new Map());
  const mark = useCallback(
    (offer: Offer | undefined) => {
      if (!offer) return;
      setMarked((before) => {
        const next = new Map(before);
        if (!next.delete(offer.id)) next.set(offer.id, offer);
        return next;
      });
    },
    [setMarked],
  );
  return { selected, setMarked, mark };
}

const otherLook = (look: Look): Look => (look === "wall" ? "list" : "wall");

/** Foot says what is selected, and what can be done with it. */
function Foot({
  look,
  onLook,
  end,
  taxed,
  selected,
  total,
  onClear,
  onBeside,
  onTake,
  onTakeAll,
  busy,
}: {
  look: Look;
  onLook: () => void;
  /** Whether the end of what is listed is in sight, and there is more. */
  end: boolean;
  taxed: boolean;
  selected: number;
  total: number;
  onClear: () => void;
  onBeside: () => void;
  onTake: () => void;
  onTakeAll: () => void;
  busy: boolean;
}) {
  const { store, may } = useSession();
  return (
    <div className="flex min-h-9 shrink-0 items-center justify-between gap-x-4 border-t border-line px-4 max-md:flex-wrap md:h-9">
      {end ? (
        <span className="text-sm">
          The first {mostRows.toLocaleString("en")} are listed. Add a clause, or sort otherwise, to see others.
        </span>
      ) : (
        <span className="min-w-0 overflow-hidden whitespace-nowrap max-md:hidden">
          <LadderLegend taxed={taxed} />
        </span>
      )}
      <span className="flex shrink-0 items-center gap-2 whitespace-nowrap max-md:shrink max-md:flex-wrap">
        {selected > 0 ? (
          <>
            <b>{selected} selected</b>
            <Button tone="quiet" onClick={onClear}>
              Clear selection
            </Button>
            {selected > 1 && selected <= maxCompared && <Button onClick={onBeside}>Side by side</Button>}
            {may("editor") && (
              <Button tone="main" onClick={onTake} disabled={busy}>
                Take {selected} to the Workbench
              </Button>
            )}
          </>
        ) : (
          <>
            {!store && (
              <Link to="/store" className="font-semibold underline decoration-beak underline-offset-2">
                Connect a store to see prices and profit
              </Link>
            )}
            {may("editor") && total > 1 && total <= maxTaken && (
              <Button tone="quiet" onClick={onTakeAll} disabled={busy}>
                Take all {total.toLocaleString("en")}
              </Button>
            )}
          </>
        )}
        <Button tone="quiet" onClick={onLook} aria-pressed={look === "wall"}>
          {look === "wall" ? "List" : "Wall"}
        </Button>
      </span>
    </div>
  );
}

/**
 * useAddress keeps the cursor and the address together: the offer that the address names is sought in the list, and the
 * cursor's is shown there. It gives the cursor's offer, none while it is sought, and the one that the sheet shows.
 */
function useAddress({
  question,
  answered,
  open,
  cursor,
  setCursor,
  here,
  found,
}: {
  question: Question;
  answered: Question;
  open: boolean;
  cursor: number;
  setCursor: (row: number) => void;
  here: Offer | undefined;
  found: Schemas["SearchResult"] | undefined;
}) {
  const { storeId } = useSession();
  const [params, setParams] = useSearchParams();
  const asked = JSON.stringify(question);
  const wanted = Number(params.get("offer")) || 0;
  const sought = useRef(wanted); // the address's offer, until the cursor stands on it
  const before = useRef(asked);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new sentence starts at its first offer
  useEffect(() => {
    if (before.current === asked) return;
    before.current = asked;
    sought.current = 0;
    setCursor(0);
  }, [asked]);
  // Where the address names an offer, the cursor goes to its row: row, sheet and keys mean the same.
  const place = useQuery(positionQuery(answered, storeId, sought.current));
  const seeking = sought.current > 0 && !place.isError && (place.isPending || place.data?.position !== undefined);
  useEffect(() => {
    if (sought.current === 0 || !place.data || !found) return;
    if (place.data.position !== undefined) setCursor(place.data.position);
    sought.current = 0;
  }, [place.data, found, setCursor]);
  const shownOffer = seeking && cursor === 0 ? undefined : here?.id;
  // Not another at each key while one types, and after the row that the cursor came to.
  const sheetOffer = useRested(useHeld(shownOffer, open));
  const showInAddress = useEffectEvent((offer: number) => {
    const address = asAddress(question);
    address.set("offer", String(offer));
    setParams(address, { replace: true });
  });
  useEffect(() => {
    if (open || answered !== question) return; // to write it now would take away what is typed or chosen
    if (!here || sought.current > 0 || !(cursor > 0 || (wanted > 0 && wanted !== here.id))) return;
    const timer = setTimeout(() => showInAddress(here.id), 350); // once the cursor rests: it draws much anew
    return () => clearTimeout(timer);
  }, [open, here, cursor, wanted, answered, question]);
  return { shownOffer, sheetOffer };
}

function NotAnswered({
  error,
  onAgain,
  onWithoutStore,
}: {
  error: Problem;
  onAgain: () => void;
  onWithoutStore: () => void;
}) {
  const { store } = useSession();
  const go = useNavigate();
  if (error.status === 422 && !store)
    return (
      <Notice title="This search needs a store" error>
        <p>{error.message}</p>
        <Button tone="main" onClick={() => go("/store")}>
          Connect a store
        </Button>
        <Button onClick={onWithoutStore}>Drop these filters</Button>
      </Notice>
    );
  return (
    <Notice title={error.status === 422 ? "The search cannot be read" : "The catalog does not answer"} error>
      <p>{error.message}</p>
      <Button onClick={onAgain}>Ask again</Button>
    </Notice>
  );
}

function NothingFound({
  hasSources,
  emptied,
  onWords,
  onClear,
}: {
  hasSources: boolean;
  /** What emptied the answer, and what there would be without it. */
  emptied: Schemas["IndexEmptied"][];
  onWords: (words: string) => void;
  onClear: () => void;
}) {
  const go = useNavigate();
  return hasSources ? (
    <Notice title="No offer matches">
      {emptied.length > 0 ? (
        <ul className="space-y-1">
          {emptied.slice(0, 4).map((e) => (
            <li key={e.typed}>
              {e.words.map((w) => `“${w}”`).join(" and ")} left nothing.{" "}
              <Button onClick={() => onWords(e.typed)}>
                {e.left === 1 ? "1 offer" : `${e.left.toLocaleString("en")} offers`} without{" "}
                {e.words.length === 1 ? "it" : "them"}
              </Button>
            </li>
          ))}
        </ul>
      ) : (
        <p>Loosen a clause: each one's panel says how many offers its choices would leave.</p>
      )}
      <Button onClick={onClear}>Clear all filters</Button>
    </Notice>
  ) : (
    <Notice title="No source is connected">
      <p>Offers come from sources. Connect one and its catalog is imported.</p>
      <Button tone="main" onClick={() => go("/sources")}>
        Go to Sources
      </Button>
    </Notice>
  );
}

/** OfferRow is not drawn again while one types, until another answer is there. */
const OfferRow = memo(function OfferRow({
  offer,
  store,
  worth,
  index,
  start,
  top,
  current,
  selected,
  onPoint,
  onSelect,
}: {
  offer: Offer | undefined;
  store: number;
  /** The parts of what it is sorted by are shown. */
  worth: boolean;
  index: number;
  start: number;
  top: number;
  current: boolean;
  selected: boolean;
  onPoint: (index: number) => void;
  onSelect: (offer: Offer | undefined) => void;
}) {
  return (
    <GridRow
      id={offer ? `offer-${offer.id}` : undefined}
      index={index}
      start={start}
      height={rowHeight}
      current={current}
      selected={selected}
      onPoint={() => onPoint(index)}
      className={`${columns} pr-4`}
    >
      {offer ? (
        <>
          <span role="gridcell" className="pl-2">
            <Tick checked={selected} onChange={() => onSelect(offer)} label={`Select ${offer.title}`} />
          </span>
          <span role="gridcell">
            <Picture path={offer.picture} width={96} className="size-11 border border-line" />
          </span>
          <span role="gridcell" className="min-w-0">
            <span className="block truncate font-semibold" title={offer.title}>
              {offer.title}
            </span>
            <span className="flex overflow-hidden text-sm whitespace-nowrap text-ink-2">
              {offer.ladder && (
                <span className="shrink-0 text-ink md:hidden">
                  <Money of={offer.ladder.price} />
                  &nbsp;·&nbsp;
                </span>
              )}
              {offer.match && (
                <b className="max-w-40 shrink-0 truncate">
                  {offer.match.values.join(", ") || "one of its variants"}&nbsp;·&nbsp;
                </b>
              )}
              {offer.drafts.length > 0 && <b className="shrink-0 text-profit-ink">in the Workbench&nbsp;·&nbsp;</b>}
              {worth ? (
                <Worth offer={offer} />
              ) : (
                <span className="shrink-0">
                  {ratingText(offer.rating)} · {stockText(offer.stock)}&nbsp;·&nbsp;
                </span>
              )}
              {offer.other && offer.ladder && (
                <span className="shrink-0 text-ink">
                  {offer.other.in_stock ? "in stock from " : "sold out from "}
                  <Money of={offer.other.price} />
                  &nbsp;·&nbsp;
                </span>
              )}
              <span className="truncate" title={`${countryName(offer.ships_from)} · ${offer.supplier}`}>
                {countryName(offer.ships_from)} · {offer.supplier}
              </span>
            </span>
          </span>
          <span role="gridcell" className="max-md:hidden">
            {offer.ladder ? (
              <>
                <PriceLadder ladder={offer.ladder} top={top} />
                <span className="text-sm text-ink-2">
                  landed <Money of={offer.ladder.landed} /> →{" "}
                  <OfferTrace
                    offer={offer.id}
                    variant={offer.priced_id}
                    store={store}
                    label={`how the price of ${offer.title} came about`}
                  >
                    <Money of={offer.ladder.price} className="text-ink" />
                  </OfferTrace>
                </span>
              </>
            ) : (
              <span className="text-sm text-ink-2">{offer.no_price}</span>
            )}
          </span>
          <span role="gridcell" className="max-md:hidden">
            {offer.days && (
              <>
                <DayRuler days={offer.days} />
                <DayWords days={offer.days} />
              </>
            )}
          </span>
          <span role="gridcell" className="max-md:hidden">
            <DemandRibbon weekly={offer.weekly} />
            <span className="block text-sm whitespace-nowrap text-ink-2">{soldText(offer.units)}</span>
          </span>
          <span role="gridcell" className="text-right">
            {offer.ladder && (
              <>
                <Money of={offer.ladder.profit} signed className="block font-bold" />
                <span className="text-sm text-ink-2">{percent(offer.ladder.margin)}</span>
              </>
            )}
          </span>
        </>
      ) : (
        <span role="gridcell" className="col-start-3 h-3 w-2/3 rounded bg-sunk" aria-label="Loading" />
      )}
    </GridRow>
  );
});

/** Worth shows the parts of what offers are sorted by: profit times units a month for each store that sells it. */
function Worth({ offer }: { offer: Offer }) {
  if (!offer.worth || !offer.ladder || offer.rivals === null)
    return <span className="shrink-0">sales or rivals not known&nbsp;·&nbsp;</span>;
  return (
    <span className="shrink-0 text-ink">
      <Money of={offer.ladder.profit} /> × {countText(offer.units)} sold ÷{" "}
      {offer.rivals === 1 ? "1 rival" : `${offer.rivals} rivals`} ={" "}
      <b>
        <Money of={offer.worth} />
      </b>
      &nbsp;·&nbsp;
    </span>
  );
}
