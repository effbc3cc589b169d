import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas, type Source } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Choice, Clause, TypedChoice } from "../parts/clause";
import { Button } from "../parts/controls";
import { Field } from "../parts/field";
import { useSay } from "../parts/toast";
import { dayNames, type Rule, readRule, ruleWords, soon, writeRule } from "./words";

type Habits = Schemas["SourcesSourceSettings"];

/**
 * SettingsSentence says when a source is taken in and what it may change unasked; each underlined word opens its
 * choices.
 */
export function SettingsSentence({ source }: { source: Source }) {
  const { may, store } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const now: Habits = {
    name: source.name,
    schedule: source.schedule,
    time_zone: source.time_zone,
    paused: source.paused,
    max_withdrawn: source.max_withdrawn,
    max_repriced: source.max_repriced,
    max_cost_factor: source.max_cost_factor,
    order_address: source.order_address,
  };
  const keep = useMutation({
    mutationFn: (part: Partial<Habits>) =>
      ask(api.PUT("/api/sources/{id}", { params: { path: { id: source.id } }, body: { ...now, ...part } })),
    onError: (error) => say(error.message, true),
    onSettled: () => refresh(client, "sources"),
  });
  const rule = readRule(source.schedule);
  const fetched = source.address !== "" || source.can.fetches;
  const zone = rule.every === "day" || rule.every === "week" ? ` (${source.time_zone.replace("_", " ")})` : "";
  if (!may("owner"))
    return (
      <p className="leading-7">
        Imports {ruleWords(rule)}
        {zone}. Needs approval when more than {source.max_withdrawn} % of its offers would leave, or{" "}
        {source.max_repriced} % change their cost. A cost that moves {source.max_cost_factor} times or more waits to be
        approved.
      </p>
    );
  return (
    <div className="leading-7">
      {fetched && (
        <p>
          Imports{" "}
          <Clause label="Schedule" words={ruleWords(rule)} empty={rule.every === "never"} width="w-72">
            {(close) => (
              <SchedulePanel
                rule={rule}
                onDone={(next) => {
                  keep.mutate({ schedule: writeRule(next), time_zone: store?.time_zone ?? source.time_zone });
                  close();
                }}
              />
            )}
          </Clause>
          {zone}
          {source.paused
            ? ", but paused: nothing begins by itself"
            : source.next_at
              ? `; next ${soon(source.next_at)}`
              : ""}
          .{" "}
          {rule.every !== "never" && (
            <Button tone="quiet" className="px-1" onClick={() => keep.mutate({ paused: !source.paused })}>
              {source.paused ? "Resume" : "Pause"}
            </Button>
          )}
        </p>
      )}
      <p>
        Needs approval when more than{" "}
        <Clause label="Share that may leave" words={`${source.max_withdrawn} %`}>
          {(close) => (
            <Share
              initial={source.max_withdrawn}
              label="Offers that leave"
              onDone={(n) => keep.mutate({ max_withdrawn: n }, { onSettled: close })}
            />
          )}
        </Clause>{" "}
        of its offers would leave, or{" "}
        <Clause label="Share that may change its cost" words={`${source.max_repriced} %`}>
          {(close) => (
            <Share
              initial={source.max_repriced}
              label="Offers that change their cost"
              onDone={(n) => keep.mutate({ max_repriced: n }, { onSettled: close })}
            />
          )}
        </Clause>{" "}
        change their cost. A cost that moves{" "}
        <Clause label="How far a cost may move" words={`${source.max_cost_factor} times`}>
          {(close) => (
            <TypedChoice
              label="How far a cost may move"
              initial={String(source.max_cost_factor)}
              suffix="times, up or down"
              onDone={(text) => {
                const n = Math.round(Number(text));
                if (n >= 2 && n <= 1000) keep.mutate({ max_cost_factor: n }, { onSettled: close });
              }}
            />
          )}
        </Clause>{" "}
        or more at once waits to be approved, while the rest is imported.
      </p>
      {source.can.order_documents && (
        <p>
          Orders go to it{" "}
          <Clause
            label="Where it takes orders"
            words={source.order_address || "on order sheets that you send"}
            empty={!source.order_address}
            width="w-96"
          >
            {(close) => <OrderAddress initial={source.order_address} onSave={keep.mutateAsync} onDone={close} />}
          </Clause>
          {source.order_address && " as UBL documents, and are paid by its invoice"}.
        </p>
      )}
    </div>
  );
}

/** OrderAddress is where a wholesaler takes orders as documents. */
function OrderAddress({
  initial,
  onSave,
  onDone,
}: {
  initial: string;
  onSave: (part: Partial<Habits>) => Promise<unknown>;
  onDone: () => void;
}) {
  const [typed, setTyped] = useState(initial);
  const [error, setError] = useState<string>();
  return (
    <form
      className="p-1.5"
      onSubmit={(e) => {
        e.preventDefault();
        onSave({ order_address: typed }).then(onDone, (problem: Error) => setError(problem.message));
      }}
    >
      <Field
        label="Address at which it takes UBL orders"
        hint="Empty where you send it order sheets"
        value={typed}
        error={error}
        onChange={(e) => setTyped(e.target.value)}
      />
      <p className="mt-2">
        <Button tone="main" type="submit">
          Save the address
        </Button>
      </p>
    </form>
  );
}

function Share({ initial, label, onDone }: { initial: number; label: string; onDone: (n: number) => void }) {
  return (
    <TypedChoice
      label={label}
      initial={String(initial)}
      suffix="% in one import"
      onDone={(text) => {
        const n = Math.round(Number(text));
        if (text !== "" && n >= 0 && n <= 100) onDone(n);
      }}
    />
  );
}

/** SchedulePanel lets a schedule be chosen. */
export function SchedulePanel({ rule, onDone }: { rule: Rule; onDone: (rule: Rule) => void }) {
  const [at, setAt] = useState(rule.at);
  const [day, setDay] = useState(rule.days[0] ?? "MO");
  return (
    <div>
      <Choice chosen={rule.every === "never"} onChoose={() => onDone({ ...rule, every: "never" })}>
        only when you ask
      </Choice>
      {[1, 6, 12].map((hours) => (
        <Choice
          key={hours}
          chosen={rule.every === "hours" && rule.hours === hours}
          onChoose={() => onDone({ ...rule, every: "hours", hours })}
        >
          {hours === 1 ? "every hour" : `every ${hours} hours`}
        </Choice>
      ))}
      <div className="mt-1 flex items-center gap-2 border-t border-line px-2 pt-2">
        <label className="flex items-center gap-2">
          At
          <input
            type="time"
            value={at}
            onChange={(e) => setAt(e.target.value)}
            className="rounded border border-line-2 bg-surface px-2 py-1"
            aria-label="Time of day"
          />
        </label>
        <select
          value={day}
          onChange={(e) => setDay(e.target.value)}
          aria-label="Day of the week"
          className="rounded border border-line-2 bg-surface px-1 py-1"
        >
          {dayNames.map(([code, name]) => (
            <option key={code} value={code}>
              {name}
            </option>
          ))}
        </select>
      </div>
      <Choice chosen={rule.every === "day"} onChoose={() => at && onDone({ ...rule, every: "day", at })}>
        every day at {at}
      </Choice>
      <Choice chosen={rule.every === "week"} onChoose={() => at && onDone({ ...rule, every: "week", days: [day], at })}>
        every {dayNames.find(([code]) => code === day)?.[1]} at {at}
      </Choice>
    </div>
  );
}
