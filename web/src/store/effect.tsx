import type { Effect } from "../api/client";
import { useSession } from "../frame/session";
import { Tick } from "../parts/controls";
import { Heard } from "../parts/heard";
import { LadderLegend, PriceLadder } from "../parts/ladder";
import { Money, num } from "../parts/money";
import { type Column, Table } from "../parts/table";
import { Trace } from "../parts/trace";
import { MarginDots } from "./margins";

/** EffectView shows what a change would do to drafts and listings, or how they stand. */
export function EffectView({
  effect,
  changed,
  selected,
  onSelect,
  stale,
}: {
  effect: Effect;
  changed: boolean;
  selected: Set<number>;
  onSelect: (next: Set<number>) => void;
  stale: boolean;
}) {
  const { store } = useSession();
  if (effect.variants === 0)
    return (
      <>
        <h2 className="mb-1 text-xl">Nothing is priced yet</h2>
        <p className="text-ink-2">
          There is no draft in the Workbench. Take an offer there and its price moves here as you edit.
        </p>
      </>
    );
  const figures: [number, string, boolean][] = [
    [effect.rise, effect.rise === 1 ? "price rises" : "prices rise", false],
    [effect.fall, effect.fall === 1 ? "price falls" : "prices fall", false],
    [effect.raised_to_floor, "raised to their floor", false],
    [effect.manual, "manual, stay as they are", false],
    [effect.loses_money, "would lose money", effect.loses_money > 0],
  ];
  if (effect.below_floor > 0) figures.push([effect.below_floor, "manual, under their floor", true]);
  if (effect.capped > 0) figures.push([effect.capped, "capped by a ceiling", false]);
  if (effect.over_ceiling > 0) figures.push([effect.over_ceiling, "above their ceiling", false]);
  if (effect.unpriced > 0) figures.push([effect.unpriced, "cannot be priced", true]);
  return (
    <div aria-busy={stale} className={stale ? "text-ink-2 [&_svg]:opacity-60" : ""}>
      <Heard words={changed ? figures.flatMap(([n, words]) => (n > 0 ? `${n} ${words}` : [])).join(", ") : ""} />
      <h2 className="text-xl">{changed ? "If you apply this" : "How prices stand"}</h2>
      <p className="mb-3 text-ink-2">
        {effect.what ? `${effect.what} · ` : ""}
        {effect.variants.toLocaleString("en")} variants of {effect.drafts.toLocaleString("en")} drafts and listings
        {effect.moved_live > 0 && ` · ${effect.moved_live} of those that move are live`}
        {effect.pinned > 0 && ` · ${effect.pinned} pinned to earlier rules`}
      </p>
      <dl className="mb-3 flex flex-wrap gap-x-5 gap-y-2">
        {figures.map(([n, words, bad]) => (
          <div key={words}>
            <dd className={`font-head text-2xl font-semibold ${bad ? "text-loss" : ""}`}>{n.toLocaleString("en")}</dd>
            <dt className="text-sm text-ink-2">{words}</dt>
          </div>
        ))}
      </dl>
      <MarginDots before={effect.before} after={effect.after} changed={changed || effect.pinned > 0} />
      {effect.moves.length > 0 && (
        <>
          <div className="mt-3 mb-1 flex items-center justify-between">
            <h3 className="text-lg">
              Largest price changes{" "}
              <span className="font-sans text-sm font-normal text-ink-2">
                {effect.moved_drafts > effect.moves.length ? `of ${effect.moved_drafts} drafts` : ""}
              </span>
            </h3>
            <LadderLegend taxed={effect.moves.some((m) => Number(m.then?.tax.value ?? 0) > 0)} />
          </div>
          <Table
            rows={effect.moves}
            columns={moveColumns(effect, selected, onSelect)}
            rowKey={(m) => m.draft_id}
            label="Largest price changes"
            className="mb-3"
          />
        </>
      )}
      {effect.moves.length === 0 && !changed && (
        <p className="mt-3 text-ink-2">
          Change a word on the left: what it would do to these prices shows here before anything moves.
        </p>
      )}
      {effect.moves.length === 0 && changed && (
        <p className="mt-3 text-ink-2">No price in {store?.name} moves by this.</p>
      )}
    </div>
  );
}

type Move = Effect["moves"][number];

/** moveColumns are what a change does to each of the drafts whose prices move most. */
function moveColumns(effect: Effect, selected: Set<number>, onSelect: (next: Set<number>) => void): Column<Move>[] {
  const top = Math.max(...effect.moves.map((m) => num(m.then.price)), 1);
  const toggle = (id: number) => {
    const next = new Set(selected);
    if (!next.delete(id)) next.add(id);
    onSelect(next);
  };
  const all = effect.moves.length > 0 && effect.moves.every((m) => selected.has(m.draft_id));
  return [
    {
      id: "selected",
      name: "Selected",
      className: "w-8",
      head: (
        <Tick
          checked={all}
          onChange={(now) => onSelect(new Set(now ? effect.moves.map((m) => m.draft_id) : []))}
          label="Select all that are listed"
        />
      ),
      show: (m) => (
        <Tick checked={selected.has(m.draft_id)} onChange={() => toggle(m.draft_id)} label={`Select ${m.title}`} />
      ),
    },
    {
      id: "draft",
      name: "Draft",
      className: "max-w-40 py-1",
      by: (m) => m.title,
      show: (m) => (
        <span title={`${m.title} ${m.variant}`}>
          <span className="block truncate">{m.title}</span>
          <span className="block truncate text-sm text-ink-2">
            {m.live && <b>live · </b>}
            {m.variant}
            {m.others > 0 && ` and ${m.others} more`}
          </span>
        </span>
      ),
    },
    {
      id: "landed",
      name: "Landed",
      align: "right",
      by: (m) => num(m.then.landed),
      show: (m) => <Money of={m.then.landed} />,
    },
    { id: "now", name: "Now", align: "right", by: (m) => num(m.now), show: (m) => <Money of={m.now} /> },
    {
      id: "then",
      name: "Then",
      align: "right",
      className: "pr-3 font-semibold",
      by: (m) => num(m.then.price),
      show: (m) => (
        <>
          <Trace steps={m.trace} label={`how the price of ${m.title} would come about`}>
            <Money of={m.then.price} />
          </Trace>
          {m.then.was && (
            <span className="block text-sm font-normal text-ink-2">
              was <Money of={m.then.was} />
            </span>
          )}
        </>
      ),
    },
    {
      id: "ladder",
      name: "Ladder",
      roomy: true,
      show: (m) => <PriceLadder ladder={m.then} top={top} width={110} />,
    },
    {
      id: "profit",
      name: "Profit",
      align: "right",
      by: (m) => num(m.then.profit),
      show: (m) => <Money of={m.then.profit} signed />,
    },
  ];
}
