import { closestCenter, DndContext, type DragEndEvent, PointerSensor, useSensor, useSensors } from "@dnd-kit/core";
import { arrayMove, SortableContext, useSortable, verticalListSortingStrategy } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { useQuery } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import {
  api,
  ask,
  type Effect,
  type MoneyRules,
  type Problem,
  type Rule,
  type Schemas,
  type Store,
} from "../api/client";
import { useSession } from "../frame/session";
import { Confirm } from "../parts/confirm";
import { Button } from "../parts/controls";
import { useKeys } from "../parts/keys";
import { panel } from "../parts/panel";
import { useSay } from "../parts/toast";
import { choicesQuery } from "./queries";
import { RuleSentence } from "./sentence";
import { newRule, same } from "./words";

/** Rules is the ordered list: the first rule that holds prices an item, and the last holds for all. */
export function Rules({
  store,
  edited,
  before,
  effect,
  onChange,
  error,
}: {
  store: Store;
  edited: MoneyRules;
  before: MoneyRules;
  effect: Effect | undefined;
  onChange: (rules: Rule[]) => void;
  error: Problem | undefined;
}) {
  const choices = useQuery(choicesQuery(store.id));
  const rules = edited.rules;
  const [at, setAt] = useState(0);
  const cursor = Math.min(at, rules.length - 1);
  const here = rules[cursor];
  const last = rules.length - 1;
  const list = useRef<HTMLDivElement>(null);
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }));

  const put = (place: number, rule: Rule) => onChange(rules.map((r, i) => (i === place ? rule : r)));
  const shift = (from: number, to: number) => {
    if (from >= last || to < 0 || to >= last) return;
    onChange(arrayMove(rules, from, to));
    setAt(to);
  };
  const add = () => {
    const like = rules[last];
    if (!like) return;
    onChange([...rules.slice(0, last), newRule(rules, like), like]);
    setAt(last);
  };
  const duplicate = (place: number) => {
    const like = rules[place];
    if (!like) return;
    const copy = newRule(rules, like);
    const to = place === last ? last : place + 1;
    onChange([...rules.slice(0, to), copy, ...rules.slice(to)]);
    setAt(to);
  };
  const [removing, setRemoving] = useState<number>();
  const remove = (place: number) => place < last && onChange(rules.filter((_, i) => i !== place));
  const toggle = (place: number) => {
    const rule = rules[place];
    if (rule && place < last) put(place, { ...rule, off: !rule.off });
  };
  useKeys([
    { keys: ["j", "ArrowDown"], label: "next rule", run: () => setAt(Math.min(cursor + 1, last)) },
    { keys: ["k", "ArrowUp"], label: "", run: () => setAt(Math.max(cursor - 1, 0)) },
    {
      keys: ["Enter"],
      label: "edit its words",
      run: () => list.current?.querySelector<HTMLElement>(`[data-rule="${cursor}"] .clause`)?.focus(),
    },
    { keys: ["alt+ArrowUp"], label: "move it", run: () => shift(cursor, cursor - 1) },
    { keys: ["alt+ArrowDown"], label: "", run: () => shift(cursor, cursor + 1) },
    { keys: ["n"], label: "new rule", run: add },
    { keys: ["d"], label: "duplicate", run: () => duplicate(cursor) },
    { keys: ["o"], label: "on or off", run: () => toggle(cursor) },
    { keys: ["Delete"], label: "remove", run: () => cursor < last && setRemoving(cursor) },
  ]);
  const moved = ({ active, over }: DragEndEvent) => {
    if (over && active.id !== over.id)
      shift(
        rules.findIndex((r) => r.id === active.id),
        rules.findIndex((r) => r.id === over.id),
      );
  };
  return (
    <section aria-label="Markup rules">
      <div className="mb-2 flex items-center justify-between gap-3">
        <h1 className="text-xl">
          Markup rules{" "}
          <span className="font-sans text-base font-normal text-ink-2">
            the first that fits prices the item · {store.name}, {store.currency}
          </span>
        </h1>
        <Button onClick={add}>Add a rule</Button>
      </div>
      <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={moved}>
        <SortableContext items={rules.map((r) => r.id)} strategy={verticalListSortingStrategy}>
          <div ref={list} className="space-y-2">
            {rules.map((rule, place) => (
              <RuleCard
                key={rule.id}
                rule={rule}
                place={place}
                last={place === last}
                current={here === rule}
                changed={!before.rules.some((r) => same(r, rule))}
                count={effect?.by_rule.find((c) => c.rule === rule.id)?.variants}
                shadow={effect?.unreachable.find((s) => rules[s.rule]?.id === rule.id)}
                error={error?.field.startsWith(`rules[${place}]`) ? error.message : undefined}
                choices={choices.data}
                store={store}
                onPoint={() => setAt(place)}
                onChange={(next) => put(place, next)}
                onMove={(by) => shift(place, place + by)}
                onDuplicate={() => duplicate(place)}
                onRemove={() => remove(place)}
                onToggle={() => toggle(place)}
              />
            ))}
          </div>
        </SortableContext>
      </DndContext>
      <Confirm
        open={removing !== undefined}
        onClose={() => setRemoving(undefined)}
        title={`Remove rule ${(removing ?? 0) + 1}?`}
        act="Remove"
        onDo={() => removing !== undefined && remove(removing)}
      >
        Items that it priced go to the rules below it. Ctrl Z brings it back.
      </Confirm>
    </section>
  );
}

type CardProps = {
  rule: Rule;
  place: number;
  last: boolean;
  current: boolean;
  changed: boolean;
  count: number | undefined;
  shadow: Schemas["MarkupShadow"] | undefined;
  error: string | undefined;
  choices: Schemas["PricingRuleChoices"] | undefined;
  store: Store;
  onPoint: () => void;
  onChange: (rule: Rule) => void;
  onMove: (by: number) => void;
  onDuplicate: () => void;
  onRemove: () => void;
  onToggle: () => void;
};

function RuleCard({
  rule,
  place,
  last,
  current,
  changed,
  count,
  shadow,
  error,
  choices,
  store,
  onPoint,
  onChange,
  ...acts
}: CardProps) {
  const sortable = useSortable({ id: rule.id, disabled: last });
  const card = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (current) card.current?.scrollIntoView({ block: "nearest" });
  }, [current]);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: pointing at a rule is a convenience; J and K do the same
    <div
      ref={(node) => {
        sortable.setNodeRef(node);
        card.current = node;
      }}
      data-rule={place}
      aria-current={current || undefined}
      style={{ transform: CSS.Transform.toString(sortable.transform), transition: sortable.transition }}
      onPointerDown={onPoint}
      onFocus={onPoint}
      className={`flex rounded-lg border bg-surface ${current ? "border-beak shadow-[inset_3px_0_0_var(--beak)]" : "border-line"} ${sortable.isDragging ? "relative z-10" : ""}`}
    >
      <span
        {...sortable.listeners}
        title={last ? "Holds for everything else" : "Drag to move; Alt and arrows do the same"}
        className={`flex w-10 shrink-0 justify-center pt-3 font-head text-lg text-ink-2 ${last ? "" : "cursor-grab touch-none"}`}
        aria-hidden="true"
      >
        {last ? "•" : place + 1}
      </span>
      <div className="min-w-0 grow py-2.5 leading-8">
        <div className={rule.off ? "text-ink-2 line-through" : ""}>
          <RuleSentence
            rule={rule}
            place={place}
            last={last}
            choices={choices}
            currency={store.currency}
            onChange={onChange}
          />
        </div>
        {rule.off && <p className="text-sm leading-5 text-ink-2">switched off</p>}
        {shadow && (
          <p className="text-sm leading-5 font-semibold text-beak-ink">
            never reached: {shadow.by.length === 1 ? "rule" : "rules"} {shadow.by.map((n) => n + 1).join(" and ")}{" "}
            {shadow.by.length === 1 ? "takes" : "take"} all of these
          </p>
        )}
        {error && (
          <p className="text-sm leading-5 text-loss" role="alert">
            {error}
          </p>
        )}
      </div>
      <div className="flex shrink-0 flex-col items-end justify-between py-2 pr-2 pl-3 text-right">
        <span className="leading-tight">
          <b className="block">{rule.off ? "–" : (count ?? "…")}</b>
          <span className="text-sm text-ink-2">{count === 1 ? "variant" : "variants"}</span>
        </span>
        <span className="flex items-center gap-1">
          {changed && <span className="text-xs text-beak-ink">changed</span>}
          <RuleMenu rule={rule} place={place} last={last} store={store} {...acts} />
        </span>
      </div>
    </div>
  );
}

const item =
  "flex min-h-8 cursor-pointer items-center justify-between gap-6 rounded px-3 outline-none data-[highlighted]:bg-sunk data-[disabled]:opacity-50";

function RuleMenu({
  rule,
  place,
  last,
  store,
  onMove,
  onDuplicate,
  onRemove,
  onToggle,
}: Pick<CardProps, "rule" | "place" | "last" | "store" | "onMove" | "onDuplicate" | "onRemove" | "onToggle">) {
  const { stores } = useSession();
  const say = useSay();
  const copy = async (to: Store) => {
    try {
      await ask(
        api.POST("/api/stores/{id}/money-rules/copy", {
          params: { path: { id: store.id } },
          body: { store: to.id, rule },
        }),
      );
      say(`It stands first in ${to.name}, in ${to.currency} and switched off. Look at it there, then switch it on.`);
    } catch (error) {
      say((error as Problem).message, true);
    }
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className="min-h-6 min-w-6 rounded text-ink-2 hover:bg-sunk"
        aria-label={`What to do with rule ${place + 1}`}
      >
        ⋯
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className={`${panel} min-w-52 p-1.5`} align="end">
          <DropdownMenu.Item className={item} disabled={last || place === 0} onSelect={() => onMove(-1)}>
            Move up
          </DropdownMenu.Item>
          <DropdownMenu.Item className={item} disabled={last} onSelect={() => onMove(1)}>
            Move down
          </DropdownMenu.Item>
          <DropdownMenu.Item className={item} onSelect={onDuplicate}>
            Duplicate
          </DropdownMenu.Item>
          <DropdownMenu.Item className={item} disabled={last} onSelect={onToggle}>
            {rule.off ? "Switch on" : "Switch off"}
          </DropdownMenu.Item>
          {stores
            .filter((s) => s.id !== store.id)
            .map((s) => (
              <DropdownMenu.Item key={s.id} className={item} disabled={last} onSelect={() => void copy(s)}>
                Copy to {s.name}
              </DropdownMenu.Item>
            ))}
          <DropdownMenu.Item className={`${item} text-loss`} disabled={last} onSelect={onRemove}>
            Remove
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
