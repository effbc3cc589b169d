import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api, ask, type Draft, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button, Dialog } from "../parts/controls";
import { Field } from "../parts/field";
import { Money } from "../parts/money";
import { Radios } from "../parts/radios";
import { useNavigate } from "../parts/route";
import { useSay } from "../parts/toast";
import type { EditDraft } from "./draft";
import { proposalsQuery, showDraft, undoBulk } from "./queries";

type Act = Schemas["WorkbenchReshapeInput"];
type Result = Schemas["WorkbenchReshapeResult"];
type Option = Schemas["VariantOption"];
type Proposal = Schemas["VariantProposal"];

/** useReshape looks at a change of a draft's options, or makes it. */
export function useReshape(draft: Draft) {
  const { storeId } = useSession();
  const client = useQueryClient();
  const say = useSay();
  return useMutation<Result, Problem, Act>({
    scope: { id: `draft ${draft.id}` },
    mutationFn: (act) =>
      ask(
        api.POST("/api/drafts/{id}/reshape", {
          params: { path: { id: draft.id }, query: { store: storeId } },
          body: {
            ...act,
            ...(act.apply && {
              base: Object.fromEntries(["options", "chosen"].map((f) => [f, draft.changes[f]?.revision ?? 0])),
            }),
          },
        }),
      ),
    onSuccess: (made) => {
      if (made.draft) showDraft(client, storeId, made.draft);
    },
    onError: (error) => {
      say(error.message, true);
      void refresh(client, "draft");
    },
  });
}

/** sentenceOf says what a proposal would do. */
function sentenceOf(p: Proposal, option: Option): { words: ReactNode; act: string } {
  const name = <b className="font-semibold">{option.name}</b>;
  switch (p.kind) {
    case "rename_option":
      return {
        words: (
          <>
            The values of {name} are called what a {p.name?.toLowerCase()} is.
          </>
        ),
        act: `Call it ${p.name}`,
      };
    case "rename_values":
      return {
        words: (
          <>
            The pictures of {name} look {p.values?.join(", ").toLowerCase()}. They are proposed by their colour alone.
          </>
        ),
        act: "Name the values so",
      };
    case "split":
      return {
        words: (
          <>
            The values of {name} are two in one, with “{p.separator}” between them.
          </>
        ),
        act: `Split into ${p.name} and ${p.second}`,
      };
    default:
      return { words: <>{name} has one value, and tells no variants apart.</>, act: `Drop ${option.name}` };
  }
}

/** Proposals are what could be put right with the options; each is done on a word, and undone as any edit. */
export function Proposals({ draft, edit }: { draft: Draft; edit: EditDraft }) {
  const asked = JSON.stringify([draft.options, draft.variants.length]);
  const { data } = useQuery({ ...proposalsQuery(draft.id, asked), enabled: draft.options.length > 0 });
  const reshape = useReshape(draft);
  const [hidden, setHidden] = useState("");
  if (!data || data.length === 0 || hidden === asked) return null;
  const act = (p: Proposal) => {
    const option = draft.options[p.option];
    if (!option) return;
    if (p.kind === "drop") reshape.mutate({ act: "drop_option", option: p.option, apply: true });
    else if (p.kind === "split")
      reshape.mutate({
        act: "split_values",
        option: p.option,
        separator: p.separator ?? "",
        first: p.name ?? "",
        second: p.second ?? "",
        apply: true,
      });
    else
      edit({
        options: draft.options.map((o, i) =>
          i === p.option
            ? {
                ...o,
                name: p.name || o.name,
                values: o.values.map((v, j) => ({ ...v, name: p.values?.[j] || v.name })),
              }
            : o,
        ),
      });
  };
  return (
    <ul className="mb-2 space-y-1 rounded-md bg-sunk px-3 py-1.5" aria-label="Proposals for the options">
      {data.map((p) => {
        const option = draft.options[p.option];
        if (!option) return null;
        const { words, act: name } = sentenceOf(p, option);
        return (
          <li key={`${p.kind} ${p.option}`} className="flex flex-wrap items-center justify-between gap-x-3">
            <span>{words}</span>
            <span className="flex gap-1">
              <Button onClick={() => act(p)} disabled={reshape.isPending}>
                {name}
              </Button>
              <Button tone="quiet" onClick={() => setHidden(asked)}>
                Dismiss
              </Button>
            </span>
          </li>
        );
      })}
    </ul>
  );
}

/** Options changes the options themselves: their order, values that are merged or two, one that is dropped. */
export function Options({ draft, edit, onClose }: { draft: Draft; edit: EditDraft; onClose: () => void }) {
  const reshape = useReshape(draft);
  const [asking, setAsking] = useState<{ act: Act; title: string }>();
  const split = useSplitDraft(draft, onClose);
  /** What leaves variants alike is looked at first. */
  const look = (act: Act, title: string) =>
    reshape.mutate(act, {
      onSuccess: (seen) => {
        if (seen.alike.length > 0) setAsking({ act, title });
        else reshape.mutate({ ...act, apply: true });
      },
    });
  if (asking) return <Alike draft={draft} act={asking.act} title={asking.title} onClose={() => setAsking(undefined)} />;
  return (
    <Dialog open onClose={onClose} title="Options" size="wide">
      <div className="space-y-4">
        {draft.options.map((option, i) => (
          <OneOption
            key={`${option.original} ${option.name}`}
            option={option}
            index={i}
            count={draft.options.length}
            busy={reshape.isPending || split.isPending}
            onRename={(next) => edit({ options: draft.options.map((o, j) => (i === j ? next : o)) })}
            onMove={(to) => reshape.mutate({ act: "move_option", option: i, to, apply: true })}
            onMoveValue={(value, to) => reshape.mutate({ act: "move_value", option: i, value, to, apply: true })}
            onMerge={(value, to) =>
              look(
                { act: "merge_values", option: i, value, to },
                `${option.values[value]?.name} becomes ${option.values[to]?.name}`,
              )
            }
            onDrop={() => look({ act: "drop_option", option: i }, `Drop ${option.name}`)}
            onSplitValues={(separator, first, second) =>
              reshape.mutate({ act: "split_values", option: i, separator, first, second, apply: true })
            }
            onSplitDraft={() => split.mutate(i)}
          />
        ))}
      </div>
      <div className="mt-4 flex justify-end">
        <Button tone="main" onClick={onClose}>
          Done
        </Button>
      </div>
    </Dialog>
  );
}

/** useSplitDraft parts a draft into one for each value of an option, as one step that can be undone. */
function useSplitDraft(draft: Draft, onDone: () => void) {
  const client = useQueryClient();
  const say = useSay();
  const go = useNavigate();
  const again = () => refresh(client, "drafts", "draft", "header", "offers", "trays");
  return useMutation<Schemas["WorkbenchSplitResult"], Problem, number>({
    mutationFn: (option) =>
      ask(api.POST("/api/drafts/{id}/split", { params: { path: { id: draft.id } }, body: { option } })),
    onSuccess: (made) => {
      void again();
      say(`There are ${made.drafts.length} drafts now.`, false, {
        words: "Undo",
        run: () =>
          void undoBulk(made.bulk)
            .then(() => {
              void again();
              go(`/workbench/${draft.id}`);
            })
            .catch((error: Problem) => say(error.message, true)),
      });
      onDone();
    },
    onError: (error) => say(error.message, true),
  });
}

function OneOption({
  option,
  index,
  count,
  busy,
  onRename,
  onMove,
  onMoveValue,
  onMerge,
  onDrop,
  onSplitValues,
  onSplitDraft,
}: {
  option: Option;
  index: number;
  count: number;
  busy: boolean;
  onRename: (next: Option) => void;
  onMove: (to: number) => void;
  onMoveValue: (value: number, to: number) => void;
  onMerge: (value: number, to: number) => void;
  onDrop: () => void;
  onSplitValues: (separator: string, first: string, second: string) => void;
  onSplitDraft: () => void;
}) {
  const [splitting, setSplitting] = useState(false);
  const values = option.values;
  return (
    <section aria-label={option.name} className="border-t border-line pt-3 first:border-0 first:pt-0">
      <div className="mb-1.5 flex flex-wrap items-center gap-1">
        <input
          key={option.name}
          defaultValue={option.name}
          aria-label={`Name of ${option.name}`}
          onBlur={(e) => {
            const name = e.target.value.trim();
            if (name && name !== option.name) onRename({ ...option, name });
          }}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
          className="mr-auto min-w-0 rounded border border-transparent bg-transparent px-1 font-head text-base font-semibold hover:border-line-2"
        />
        {count > 1 && index > 0 && (
          <Button tone="quiet" disabled={busy} onClick={() => onMove(index - 1)}>
            Move before
          </Button>
        )}
        <Button tone="quiet" disabled={busy} onClick={() => setSplitting(!splitting)} aria-expanded={splitting}>
          Values are two…
        </Button>
        {values.length > 1 && (
          <Button tone="quiet" disabled={busy} onClick={onSplitDraft}>
            A draft for each value
          </Button>
        )}
        <Button tone="quiet" disabled={busy} onClick={onDrop}>
          Drop option
        </Button>
      </div>
      {splitting && (
        <SplitValues
          onSplit={(separator, first, second) => {
            setSplitting(false);
            onSplitValues(separator, first, second);
          }}
        />
      )}
      <ul className="grid gap-x-4 sm:grid-cols-2">
        {values.map((value, i) => (
          <li key={`${value.original} ${value.name}`} className="flex items-center gap-1">
            <span className="min-w-0 grow truncate" title={value.name === value.original ? "" : value.original}>
              {value.name}
            </span>
            <Button
              tone="quiet"
              className="px-1.5!"
              aria-label={`Move ${value.name} up`}
              disabled={busy || i === 0}
              onClick={() => onMoveValue(i, i - 1)}
            >
              ↑
            </Button>
            <Button
              tone="quiet"
              className="px-1.5!"
              aria-label={`Move ${value.name} down`}
              disabled={busy || i === values.length - 1}
              onClick={() => onMoveValue(i, i + 1)}
            >
              ↓
            </Button>
            {values.length > 1 && (
              <select
                value=""
                disabled={busy}
                aria-label={`Merge ${value.name} into another value`}
                onChange={(e) => onMerge(i, Number(e.target.value))}
                className="min-h-7 w-24 rounded border border-line-2 bg-surface text-sm"
              >
                <option value="">merge into</option>
                {values.map(
                  (other, j) =>
                    j !== i && (
                      <option key={other.name} value={j}>
                        {other.name}
                      </option>
                    ),
                )}
              </select>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

function SplitValues({ onSplit }: { onSplit: (separator: string, first: string, second: string) => void }) {
  const [separator, setSeparator] = useState("-");
  const [first, setFirst] = useState("Colour");
  const [second, setSecond] = useState("Size");
  return (
    <form
      className="mb-2 flex flex-wrap items-end gap-2 rounded-md bg-sunk p-2"
      onSubmit={(e) => {
        e.preventDefault();
        onSplit(separator, first, second);
      }}
    >
      <div className="w-28">
        <Field
          label="Between them"
          value={separator}
          onChange={(e) => setSeparator(e.target.value)}
          maxLength={10}
          required
        />
      </div>
      <div className="w-40">
        <Field label="The first is" value={first} onChange={(e) => setFirst(e.target.value)} required />
      </div>
      <div className="w-40">
        <Field label="The second is" value={second} onChange={(e) => setSecond(e.target.value)} required />
      </div>
      <Button type="submit">Split values</Button>
    </form>
  );
}

/** Alike shows the variants that would become one, and asks which of them stays. */
function Alike({ draft, act, title, onClose }: { draft: Draft; act: Act; title: string; onClose: () => void }) {
  const { storeId } = useSession();
  const reshape = useReshape(draft);
  const [prefer, setPrefer] = useState<"cheapest" | "best_stocked">("best_stocked");
  const [kept, setKept] = useState<Record<string, number>>({});
  const seen = useQuery<Result, Problem>({
    queryKey: ["draft", draft.id, "alike", draft.revision, act, prefer],
    queryFn: () =>
      ask(
        api.POST("/api/drafts/{id}/reshape", {
          params: { path: { id: draft.id }, query: { store: storeId } },
          body: { ...act, prefer },
        }),
      ),
    placeholderData: (before) => before,
  }).data;
  const keeps = (group: Result["alike"][number]) => kept[group.name] ?? group.keeps;
  return (
    <Dialog open onClose={onClose} title={`${title}: which variants stay?`} size="wide">
      <p className="mb-2">
        Without it, these variants would be the same. One of each stays; the others are left out, and can be brought
        back.
      </p>
      <Radios
        label="Which stays"
        ways={[
          ["best_stocked", "The best stocked"],
          ["cheapest", "The cheapest"],
        ]}
        value={prefer}
        onChange={(way) => {
          setPrefer(way);
          setKept({});
        }}
      />
      <div
        className="max-h-[42vh] overflow-auto border-y border-line"
        role="region"
        aria-label="Variants alike"
        tabIndex={0}
      >
        {seen?.alike.map((group) => (
          <fieldset key={group.name} className="border-b border-line py-1.5 last:border-0">
            <legend className="float-left w-32 truncate pt-1 font-semibold">{group.name || "All"}</legend>
            <div className="ml-32">
              {group.variants?.map((v) => (
                <label key={v.id} className="flex min-h-7 items-center gap-2">
                  <input
                    type="radio"
                    name={`keep ${group.name}`}
                    className="accent-(--beak-fill)"
                    checked={keeps(group) === v.id}
                    onChange={() => setKept({ ...kept, [group.name]: v.id })}
                  />
                  <span className="grow">{v.name}</span>
                  <span className="text-ink-2">{v.stock.toLocaleString("en")} in stock</span>
                  <span className="w-24 text-right">
                    <Money of={v.cost} />
                  </span>
                </label>
              ))}
            </div>
          </fieldset>
        ))}
      </div>
      <div className="mt-4 flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button
          tone="main"
          disabled={!seen || reshape.isPending}
          onClick={() =>
            reshape.mutate(
              { ...act, prefer, variants: seen?.alike.map(keeps) ?? [], apply: true },
              { onSuccess: onClose },
            )
          }
        >
          Keep {seen?.variants ?? ""} variants
        </Button>
      </div>
    </Dialog>
  );
}
