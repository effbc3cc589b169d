import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { Button, Dialog, Picture, Tick } from "../parts/controls";
import { Difference } from "../parts/difference";
import { Field } from "../parts/field";
import { Heard } from "../parts/heard";
import { NameField, NamesField } from "../parts/names";
import { Check, Radios } from "../parts/radios";
import { type Column, Table } from "../parts/table";
import { useSay } from "../parts/toast";
import { namesQuery, undoBulk, undoneWords } from "./queries";
import { EditWording } from "./wording";

type Change = Schemas["BulkChange"];
type Result = Schemas["WorkbenchBulkResult"];
type Line = Result["lines"][number];
type Text = "title" | "description" | "type" | "vendor" | "search_title" | "search_description" | "delivery";

/** What can be changed, each with the ways in which it can. */
const subjects = {
  collections: "Collections",
  tags: "Tags",
  title: "Title",
  description: "Description",
  type: "Type",
  vendor: "Vendor",
  search: "Search words",
  delivery: "Delivery",
  variants: "Variants",
  sku: "SKU",
  reserve: "Stock reserve",
  discard: "Discard",
} as const;

type Subject = keyof typeof subjects;

const waysOfNames = { add: "Add", remove: "Remove", set: "Replace all with" } as const;
const waysOfText = {
  replace_text: "Find and replace",
  fill_pattern: "Fill a pattern",
  tidy: "Tidy",
  restore_original: "Back to the supplier's",
  add_header: "Add at the top",
  add_footer: "Add at the end",
  set_text: "Set",
} as const;
const waysOfVariants = {
  choose_values: "Sell those with the value",
  leave_out_values: "Leave out those with the value",
  choose_in_stock: "Sell those in stock alone",
  rename_values: "Rename a value",
} as const;

type TextWay = keyof typeof waysOfText;

const textWays: Partial<Record<Subject, TextWay[]>> = {
  title: ["tidy", "replace_text", "fill_pattern", "restore_original"],
  description: ["tidy", "replace_text", "fill_pattern", "add_header", "add_footer", "restore_original"],
  type: ["set_text", "replace_text"],
  vendor: ["set_text"],
  search: ["fill_pattern", "set_text", "replace_text"],
  delivery: ["set_text"],
};

/** facts are what a pattern may name, besides options. */
const facts = "{title}, {original}, {brand}, {type}, {vendor}, {category}, {weight}, {options}, {number}";

type Form = {
  subject: Subject;
  names: string[];
  namesWay: keyof typeof waysOfNames;
  textWay: TextWay;
  variantsWay: keyof typeof waysOfVariants;
  searchField: "search_title" | "search_description";
  text: string;
  with: string;
  matchCase: boolean;
  wholeWords: boolean;
};

const empty: Form = {
  subject: "collections",
  names: [],
  namesWay: "add",
  textWay: "tidy",
  variantsWay: "choose_in_stock",
  searchField: "search_title",
  text: "",
  with: "",
  matchCase: false,
  wholeWords: true,
};

/** changeOf is the change that the form describes; undefined while something is missing in it. */
function changeOf(f: Form): Change | undefined {
  switch (f.subject) {
    case "collections":
    case "tags":
      if (f.names.length === 0 && f.namesWay !== "set") return undefined;
      return { act: `${f.namesWay}_${f.subject}`, names: f.names };
    case "reserve":
      return /^\d{1,7}$/.test(f.text.trim()) ? { act: "set_reserve", number: Number(f.text) } : undefined;
    case "discard":
      return { act: "discard" };
    case "sku":
      return f.text.trim() ? { act: "fill_skus", text: f.text } : undefined;
    case "variants":
      if (f.variantsWay === "choose_in_stock") return { act: f.variantsWay };
      if (f.variantsWay === "rename_values")
        return f.text.trim() && f.with.trim() ? { act: f.variantsWay, text: f.text.trim(), with: f.with } : undefined;
      return f.names.length > 0 ? { act: f.variantsWay, names: f.names } : undefined;
  }
  const field: Text = f.subject === "search" ? f.searchField : f.subject;
  const way = wayOf(f);
  if (way === "tidy" || way === "restore_original") return { act: way, field };
  if (!f.text.trim() && way !== "set_text") return undefined;
  return {
    act: way,
    field,
    text: f.text,
    ...(way === "replace_text" && { with: f.with, match_case: f.matchCase, whole_words: f.wholeWords }),
  };
}

function wayOf(f: Form): TextWay {
  const ways = textWays[f.subject] ?? [];
  return ways.includes(f.textWay) ? f.textWay : (ways[0] ?? "set_text");
}

const counted = (n: number) => (n === 1 ? "1 draft" : `${n.toLocaleString("en")} drafts`);

/** useChange looks at a change of many drafts, makes it, and offers to undo it as one. */
function useChange(ids: number[], except: number[], change: Change | undefined, onDone: () => void) {
  const client = useQueryClient();
  const say = useSay();
  const body = (apply: boolean) => ({ drafts: ids, except, change: change as Change, apply });
  const again = () =>
    void refresh(client, "drafts", "draft", "draft-table", "trays", "effect", "header", "offers", "offer");
  const look = useQuery<Result, Problem>({
    queryKey: ["change-many", ids, change],
    queryFn: ({ signal }) =>
      ask(api.POST("/api/drafts/change", { body: { drafts: ids, change: change as Change }, signal })),
    enabled: change !== undefined,
    retry: false,
    staleTime: 0,
    gcTime: 0,
    placeholderData: (before) => before,
  });
  const undo = async (bulk: number) => {
    try {
      say(undoneWords(await undoBulk(bulk)));
      again();
    } catch (error) {
      say((error as Problem).message, true);
    }
  };
  const make = useMutation<Result, Problem>({
    mutationFn: () => ask(api.POST("/api/drafts/change", { body: body(true) })),
    onSuccess: (made) => {
      again();
      if (made.changed === 0) say("Nothing was left to change.");
      else
        say(made.changed === 1 ? "1 draft is changed." : `${made.changed} drafts are changed.`, false, {
          words: "Undo",
          run: () => void undo(made.bulk),
        });
      onDone();
    },
  });
  return { look, make };
}

/** ChangeMany changes words, groups and variants of many drafts: seen first, made as one step, undone as one. */
export function ChangeMany({ ids, onClose }: { ids: number[]; onClose: () => void }) {
  const [form, setForm] = useState(empty);
  const [except, setExcept] = useState<Set<number>>(() => new Set());
  const [lists, setLists] = useState(false);
  const set = (part: Partial<Form>) => {
    setForm((now) => ({ ...now, ...part }));
    setExcept(new Set());
  };
  const change = changeOf(form);
  const { look, make } = useChange(ids, [...except], change, onClose);
  const seen = change && !look.error ? look.data : undefined;
  const left = (seen?.changed ?? 0) - except.size;
  const error = make.error ?? (change ? look.error : null);
  if (lists) return <EditWording onClose={() => setLists(false)} />;
  return (
    <Dialog open onClose={onClose} title={`Change ${counted(ids.length)}`} size="full">
      <form
        className="flex min-h-0 flex-col"
        onSubmit={(e) => {
          e.preventDefault();
          if (seen && left > 0 && !look.isFetching) make.mutate();
        }}
      >
        <div className="grid gap-x-5 gap-y-2 sm:grid-cols-[9.375rem_1fr]">
          <fieldset className="flex flex-wrap gap-0.5 sm:flex-col">
            <legend className="sr-only">What to change</legend>
            {(Object.keys(subjects) as Subject[]).map((s) => (
              <label
                key={s}
                className={`flex min-h-7 cursor-pointer items-center gap-2 rounded px-2 ${form.subject === s ? "bg-beak-wash font-semibold" : "hover:bg-sunk"}`}
              >
                <input
                  type="radio"
                  name="subject"
                  className="accent-(--beak-fill)"
                  checked={form.subject === s}
                  onChange={() => set({ ...empty, subject: s, namesWay: form.namesWay })}
                />
                {subjects[s]}
              </label>
            ))}
          </fieldset>
          <div className="min-w-0">
            <How form={form} set={set} onLists={() => setLists(true)} />
            {error && (
              <p className="mt-2 text-loss" role="alert">
                {error.message}
              </p>
            )}
            {seen && <Seen result={seen} left={left} except={except} setExcept={setExcept} />}
          </div>
        </div>
        <div className="mt-4 flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button
            tone="main"
            type="submit"
            disabled={!seen || left <= 0 || look.isFetching || look.isPlaceholderData || make.isPending}
          >
            {make.isPending ? "Changing…" : `Change ${left === 1 ? "1 draft" : `${Math.max(0, left)} drafts`}`}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

const waysIn = <W extends string>(words: Record<W, string>, only?: W[]) =>
  (only ?? (Object.keys(words) as W[])).map((w): [W, string] => [w, words[w]]);

/** How is the part of the form that says how the chosen subject changes. */
function How({ form, set, onLists }: { form: Form; set: (part: Partial<Form>) => void; onLists: () => void }) {
  const names = useQuery(namesQuery).data;
  if (form.subject === "collections" || form.subject === "tags")
    return (
      <>
        <Radios
          label="How"
          ways={waysIn(waysOfNames)}
          value={form.namesWay}
          onChange={(namesWay) => set({ namesWay })}
        />
        <NamesField
          key={form.subject}
          label={subjects[form.subject]}
          unseenLabel
          autoFocus
          names={form.names}
          suggestions={names?.[form.subject] ?? []}
          onSave={(list) => set({ names: list })}
        />
      </>
    );
  if (form.subject === "discard")
    return <p className="text-ink-2">They go out of the Workbench, and can be brought back for thirty days.</p>;
  if (form.subject === "reserve")
    return (
      <Field
        label="Units of each variant that stores do not show"
        value={form.text}
        number={{ least: 0, most: 1_000_000, whole: true }}
        autoFocus
        onChange={(e) => set({ text: e.target.value })}
      />
    );
  if (form.subject === "sku")
    return (
      <Pattern
        label="Pattern of the SKUs"
        value={form.text}
        example="{brand}-{number}-{colour}-{n}"
        hint={`{n} counts the variants from 1; each option stands for its value. Besides: ${facts}`}
        onChange={(text) => set({ text })}
      />
    );
  if (form.subject === "variants") return <HowVariants form={form} set={set} />;
  return <HowText form={form} set={set} onLists={onLists} />;
}

function HowVariants({ form, set }: { form: Form; set: (part: Partial<Form>) => void }) {
  return (
    <>
      <Radios
        label="How"
        ways={waysIn(waysOfVariants)}
        value={form.variantsWay}
        onChange={(variantsWay) => set({ variantsWay })}
      />
      {form.variantsWay === "rename_values" && (
        <Two form={form} set={set} first="The value, in any option" second="Is called" />
      )}
      {(form.variantsWay === "choose_values" || form.variantsWay === "leave_out_values") && (
        <NamesField
          label="Values"
          unseenLabel
          autoFocus
          names={form.names}
          suggestions={[]}
          onSave={(list) => set({ names: list })}
        />
      )}
    </>
  );
}

function Two({
  form,
  set,
  first,
  second,
  children,
}: {
  form: Form;
  set: (part: Partial<Form>) => void;
  first: string;
  second: string;
  children?: ReactNode;
}) {
  return (
    <div className="flex flex-wrap items-end gap-3">
      <div className="min-w-40 grow">
        <Field label={first} value={form.text} autoFocus onChange={(e) => set({ text: e.target.value })} />
      </div>
      <div className="min-w-40 grow">
        <Field label={second} value={form.with} onChange={(e) => set({ with: e.target.value })} />
      </div>
      {children}
    </div>
  );
}

function HowText({ form, set, onLists }: { form: Form; set: (part: Partial<Form>) => void; onLists: () => void }) {
  const names = useQuery(namesQuery).data;
  const way = wayOf(form);
  return (
    <>
      {form.subject === "search" && (
        <Radios
          label="Which"
          ways={[
            ["search_title", "Search title"],
            ["search_description", "Search description"],
          ]}
          value={form.searchField}
          onChange={(searchField) => set({ searchField })}
        />
      )}
      {(textWays[form.subject]?.length ?? 0) > 1 && (
        <Radios
          label="How"
          ways={waysIn(waysOfText, textWays[form.subject])}
          value={way}
          onChange={(textWay) => set({ textWay, text: "" })}
        />
      )}
      {way === "tidy" && (
        <p className="text-ink-2">
          {form.subject === "title"
            ? "Decoration, noise words, repeated words and shouting go; what is too long is cut at a word."
            : "Sentences with contact details, shipping and guarantee claims go; tables become lists."}{" "}
          <button type="button" className="min-h-6 underline" onClick={onLists}>
            Edit the lists of words
          </button>
        </p>
      )}
      {way === "restore_original" && <p className="text-ink-2">What you wrote gives way to what the supplier says.</p>}
      {way === "replace_text" && (
        <Two form={form} set={set} first="Find" second="Replace with">
          <Check checked={form.wholeWords} onChange={(wholeWords) => set({ wholeWords })}>
            whole words
          </Check>
          <Check checked={form.matchCase} onChange={(matchCase) => set({ matchCase })}>
            match case
          </Check>
        </Two>
      )}
      {way === "fill_pattern" && (
        <Pattern
          label="Pattern"
          value={form.text}
          example={form.subject === "title" ? "{brand} {title}[, {colour}]" : "{title}[ by {brand}][ · {weight}]"}
          hint={`What stands in [ ] is left out where it is not known. Facts: ${facts}, and each option by its name`}
          onChange={(text) => set({ text })}
        />
      )}
      {(way === "add_header" || way === "add_footer") && (
        <label className="block font-semibold">
          Text
          <textarea
            value={form.text}
            rows={3}
            onChange={(e) => set({ text: e.target.value })}
            className="mt-1 block w-full rounded-md border border-line-2 bg-surface px-2.5 py-1.5 font-normal"
          />
        </label>
      )}
      {way === "set_text" &&
        (form.subject === "type" || form.subject === "vendor" ? (
          <NameField
            label={subjects[form.subject]}
            value={form.text}
            suggestions={names?.[form.subject === "type" ? "types" : "vendors"] ?? []}
            placeholder={form.subject === "vendor" ? "Empty is your shop" : "What kind of thing it is"}
            onSave={(text) => set({ text })}
          />
        ) : (
          <Field
            label={form.subject === "delivery" ? "The delivery that prices assume" : "Text"}
            value={form.text}
            autoFocus
            hint={form.subject === "delivery" ? "As suppliers call it; empty is as the money rules say" : ""}
            onChange={(e) => set({ text: e.target.value })}
          />
        ))}
    </>
  );
}

function Pattern({
  label,
  value,
  example,
  hint,
  onChange,
}: {
  label: string;
  value: string;
  example: string;
  hint: string;
  onChange: (text: string) => void;
}) {
  return (
    <Field
      label={label}
      value={value}
      placeholder={example}
      hint={hint}
      autoFocus
      onChange={(e) => onChange(e.target.value)}
    />
  );
}

const maxShown = 200;

function Seen({
  result,
  left,
  except,
  setExcept,
}: {
  result: Result;
  left: number;
  except: Set<number>;
  setExcept: (next: Set<number>) => void;
}) {
  const toggle = (id: number, take: boolean) => {
    const next = new Set(except);
    if (take) next.delete(id);
    else next.add(id);
    setExcept(next);
  };
  const columns: Column<Line>[] = [
    {
      id: "take",
      name: "Change it",
      unseen: true,
      className: "w-8 align-top",
      show: (l) =>
        !l.stays && (
          <Tick
            checked={!except.has(l.draft_id)}
            onChange={(now) => toggle(l.draft_id, now)}
            label={`Change ${l.title}`}
          />
        ),
    },
    {
      id: "picture",
      name: "Picture",
      unseen: true,
      className: "w-10 align-top py-1",
      show: (l) => <Picture path={l.picture} width={96} className="size-8 border border-line" />,
    },
    {
      id: "difference",
      name: "Before and after",
      className: "py-1.5",
      show: (l) => (
        <>
          <span className="block truncate text-sm text-ink-2">{l.title}</span>
          {!l.stays && <Difference before={l.before} after={l.after} />}
          {l.note && <span className={`text-sm ${l.stays ? "text-loss" : "text-beak-ink"}`}>{l.note}</span>}
        </>
      ),
    },
  ];
  return (
    <>
      <Heard
        words={[
          `${Math.max(0, left)} would change`,
          result.unchanged > 0 && `${result.unchanged} stay as they are`,
          result.stays > 0 && `${result.stays} cannot`,
          except.size > 0 && `${except.size} left out by you`,
        ]
          .filter(Boolean)
          .join(", ")}
      />
      <p className="mt-3 mb-1">
        <b>{Math.max(0, left)}</b> would change
        {result.unchanged > 0 && `, ${result.unchanged} stay as they are`}
        {result.stays > 0 && (
          <>
            , <b className="text-loss">{result.stays} cannot</b>
          </>
        )}
        {except.size > 0 && `, ${except.size} left out by you`}.
        {result.lines.length > maxShown && <span className="text-ink-2"> The first {maxShown} are shown.</span>}
      </p>
      {result.lines.length > 0 && (
        <div
          className="max-h-[38vh] overflow-auto border-y border-line"
          role="region"
          aria-label="Drafts before and after"
          tabIndex={0}
        >
          <Table
            rows={result.lines.slice(0, maxShown)}
            columns={columns}
            rowKey={(l) => l.draft_id}
            label="Drafts before and after"
            className="table-fixed"
          />
        </div>
      )}
    </>
  );
}
