import { useState } from "react";
import type { Schemas } from "../api/client";
import { Choice } from "../parts/clause";
import { type Bounds, checked, Field } from "../parts/field";
import { fromPercent, plain, toPercent } from "./words";

const set = "min-h-7 rounded border border-line-2 px-2 font-semibold hover:bg-sunk";

type NumberOf = { label: string; initial: string; suffix: string } & Bounds;

/** Numbers lets one or more numbers be typed; what is not one is said, and not taken. */
export function Numbers({ fields, onDone }: { fields: NumberOf[]; onDone: (texts: string[]) => void }) {
  const [texts, setTexts] = useState(fields.map((f) => f.initial));
  const read = fields.map((f, i) => checked(texts[i] ?? "", f));
  return (
    <form
      className="space-y-1.5 p-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (read.every((r) => r.error === undefined)) onDone(read.map((r) => r.value ?? ""));
      }}
    >
      {fields.map((f, i) => (
        <div key={f.label} className="grid grid-cols-[5.5rem_6rem_1fr] items-start gap-2">
          <span className="pt-1">{f.label}</span>
          <Field
            compact
            label={f.label}
            value={texts[i] ?? ""}
            number={f}
            onChange={(e) => setTexts(texts.map((t, j) => (i === j ? e.target.value : t)))}
          />
          <span className="pt-1 text-sm text-ink-2">{f.suffix}</span>
        </div>
      ))}
      <div className="flex justify-end">
        <button type="submit" className={set}>
          Set
        </button>
      </div>
    </form>
  );
}

/** ManyPanel chooses any of many names, found by typing. */
export function ManyPanel({
  what,
  chosen,
  offered,
  show = (name) => name,
  onChange,
}: {
  what: string;
  chosen: string[];
  offered: string[];
  show?: ((name: string) => string) | undefined;
  onChange: (next: string[]) => void;
}) {
  const [text, setText] = useState("");
  const all = [...new Set([...chosen, ...offered])];
  const found = all.filter((name) => show(name).toLowerCase().includes(text.toLowerCase()));
  const toggle = (name: string) =>
    onChange(chosen.includes(name) ? chosen.filter((n) => n !== name) : [...chosen, name]);
  const free = what === "collection" || what === "tag" || what === "category";
  return (
    <div>
      {(all.length > 8 || free) && (
        <input
          aria-label={`Find a ${what}`}
          placeholder={`find a ${what}`}
          value={text}
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            if (e.key !== "Enter") return;
            e.preventDefault();
            const name = found[0] ?? (free ? text.trim() : "");
            if (name) toggle(name);
            setText("");
          }}
          className="mb-1 w-full rounded border border-line-2 bg-surface px-2 py-1"
        />
      )}
      {found.slice(0, 40).map((name) => (
        <Choice key={name} chosen={chosen.includes(name)} onChoose={() => toggle(name)}>
          {show(name)}
        </Choice>
      ))}
      {found.length > 40 && <p className="px-2 text-sm text-ink-2">and {found.length - 40} more; type to find them</p>}
      {found.length === 0 && (
        <p className="px-2 py-1 text-sm text-ink-2">{free && text.trim() ? `Enter adds “${text.trim()}”` : "none"}</p>
      )}
    </div>
  );
}

type Ending = Schemas["MarkupEnding"];

/** EndingPanel chooses which endings are allowed, and whether the nearest or the next up is taken. */
export function EndingPanel({
  ending,
  offered,
  onChange,
}: {
  ending: Ending;
  offered: string[];
  onChange: (next: Ending) => void;
}) {
  const toggle = (e: string) =>
    onChange({
      ...ending,
      allowed: ending.allowed.includes(e) ? ending.allowed.filter((x) => x !== e) : [...ending.allowed, e],
    });
  return (
    <>
      <Choice chosen={ending.allowed.length === 0} onChoose={() => onChange({ ...ending, allowed: [] })}>
        No rounding
      </Choice>
      {[...new Set([...offered, ...ending.allowed])].map((e) => (
        <Choice key={e} chosen={ending.allowed.includes(e)} onChoose={() => toggle(e)}>
          {e === "tens" ? "whole tens" : e === "hundreds" ? "whole hundreds" : e}
        </Choice>
      ))}
      <div className="mt-1 border-t border-line pt-1">
        <Choice chosen={!ending.up} onChoose={() => onChange({ ...ending, up: false })}>
          the nearest, a tie going up
        </Choice>
        <Choice chosen={ending.up} onChoose={() => onChange({ ...ending, up: true })}>
          the next up
        </Choice>
      </div>
      <p className="px-2 pt-1 text-sm text-ink-2">Never below the floor.</p>
    </>
  );
}

type Ceiling = Schemas["MarkupCeiling"];

/** CeilingPanel says what a price should not pass, and whether it caps or warns. */
export function CeilingPanel({ ceiling, onChange }: { ceiling: Ceiling; onChange: (next: Ceiling) => void }) {
  const market = Number(ceiling.market);
  const any = ceiling.list || market > 0;
  return (
    <>
      <Choice chosen={!any} onChoose={() => onChange({ list: false, market: "0", caps: false })}>
        no ceiling
      </Choice>
      <Choice
        chosen={ceiling.list}
        onChoose={() =>
          onChange({ ...ceiling, list: !ceiling.list, caps: ceiling.caps && (!ceiling.list || market > 0) })
        }
      >
        the supplier's list price
      </Choice>
      <Numbers
        key={ceiling.market}
        fields={[{ label: "The market", initial: market > 0 ? String(market) : "", suffix: "× its median" }]}
        onDone={([text]) =>
          onChange({
            ...ceiling,
            market: plain(text ?? ""),
            caps: ceiling.caps && (ceiling.list || Number(plain(text ?? "")) > 0),
          })
        }
      />
      <div className="border-t border-line pt-1">
        <Choice chosen={!ceiling.caps} onChoose={() => onChange({ ...ceiling, caps: false })}>
          warn above it
        </Choice>
        <Choice chosen={ceiling.caps} onChoose={() => any && onChange({ ...ceiling, caps: true })}>
          cap, unless that is below the floor
        </Choice>
      </div>
    </>
  );
}

type Was = Schemas["MarkupWas"];

/** WasPanel says what is shown as the earlier price. */
export function WasPanel({
  was,
  usual,
  offered,
  onChange,
}: {
  was: Was;
  usual: Ending;
  offered: string[];
  onChange: (next: Was) => void;
}) {
  return (
    <>
      <Choice chosen={was.kind === "none"} onChoose={() => onChange({ ...was, kind: "none" })}>
        none
      </Choice>
      <Choice chosen={was.kind === "list"} onChoose={() => onChange({ ...was, kind: "list" })}>
        the supplier's list price, where it is higher
      </Choice>
      <Numbers
        key={was.percent}
        fields={[
          { label: "The price and", initial: was.kind === "percent" ? toPercent(was.percent) : "25", suffix: "% more" },
        ]}
        onDone={([text]) =>
          onChange({
            kind: "percent",
            percent: fromPercent(text ?? ""),
            ending: was.kind === "percent" ? was.ending : usual,
          })
        }
      />
      {was.kind === "percent" && (
        <div className="border-t border-line pt-1">
          <EndingPanel ending={was.ending} offered={offered} onChange={(ending) => onChange({ ...was, ending })} />
        </div>
      )}
      <p className="px-2 pt-1 text-sm text-ink-2">
        Where the listing's own last 30 days do not back it, the draft says so.
      </p>
    </>
  );
}
