import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button, Dialog } from "../parts/controls";
import { Field } from "../parts/field";
import { Money, num, percent } from "../parts/money";
import { typedNumber } from "../parts/number";
import { Check, Radios } from "../parts/radios";
import { type Column, Table } from "../parts/table";
import { useSay } from "../parts/toast";
import { undoBulk } from "./queries";

type Priced = Schemas["WorkbenchBulkPriceResult"];
type Act = Schemas["WorkbenchBulkPriceInput"]["act"];

const acts: { act: Act; name: string; value: string; hint: string }[] = [
  { act: "raise_percent", name: "Raise by a percent", value: "Percent", hint: "−10 lowers by 10 %" },
  { act: "raise_amount", name: "Raise by an amount", value: "Amount", hint: "a negative one lowers" },
  { act: "margin", name: "Set a margin", value: "Margin, %", hint: "after fees" },
  { act: "column", name: "Paste a column", value: "", hint: "" },
  { act: "release", name: "Back to rule prices", value: "", hint: "" },
];

/** Prices sets the prices of many drafts at once: seen first, then kept, and undone as one step. */
export function Prices({ ids, onClose }: { ids: number[]; onClose: () => void }) {
  const { store, storeId } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const [act, setAct] = useState<Act>("raise_percent");
  const [value, setValue] = useState("");
  const [column, setColumn] = useState("");
  const [end, setEnd] = useState(true);
  const chosen = acts.find((a) => a.act === act);
  const words = `${chosen?.value ?? ""}${act === "raise_amount" ? `, ${store?.currency}` : ""}`;
  const body = (apply: boolean) => ({
    store: storeId,
    drafts: ids,
    act,
    value: typedNumber(value.replace("−", "-")),
    end: end && act !== "column" && act !== "release",
    apply,
    ...(act === "column"
      ? {
          column: column
            .replace(/\r/g, "")
            .replace(/\n$/, "")
            .split("\n")
            .map((line) => line.split("\t")[0] ?? ""),
        }
      : {}),
  });
  const complete = act === "release" || (act === "column" ? column.trim() !== "" : value.trim() !== "");
  const look = useQuery<Priced, Problem>({
    queryKey: ["price-many", body(false)],
    queryFn: () => ask(api.POST("/api/drafts/prices", { body: body(false) })),
    enabled: complete,
    retry: false,
    placeholderData: (before) => before,
  });
  const again = () => {
    void refresh(client, "drafts", "draft", "effect");
  };
  const undo = async (bulk: number) => {
    try {
      const undone = await undoBulk(bulk);
      say(
        `Prices of ${undone.undone} drafts are back${undone.edited_since > 0 ? `; ${undone.edited_since} were edited since and stay` : ""}.`,
      );
      again();
    } catch (error) {
      say((error as Problem).message, true);
    }
  };
  const keep = useMutation<Priced, Problem>({
    mutationFn: () => ask(api.POST("/api/drafts/prices", { body: body(true) })),
    onSuccess: (kept) => {
      say(`${kept.moved} prices moved.`, false, { words: "Undo", run: () => void undo(kept.bulk) });
      again();
      onClose();
    },
    onError: (error) => say(error.message, true),
  });
  const seen = complete ? look.data : undefined;
  const kept = seen ? seen.variants - seen.skipped : 0;
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Prices of ${ids.length === 1 ? "1 draft" : `${ids.length} drafts`} in ${store?.name}`}
      size="wide"
    >
      <Radios label="What to do" ways={acts.map((a) => [a.act, a.name] as const)} value={act} onChange={setAct} />
      <form
        onSubmit={(e) => {
          e.preventDefault();
          if (seen && kept > 0) keep.mutate();
        }}
      >
        {chosen?.value && (
          <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
            <span className="flex items-start gap-2">
              <span className="pt-1">{words}</span>
              <Field
                compact
                autoFocus
                label={words}
                value={value}
                number={{}}
                onChange={(e) => setValue(e.target.value)}
              />
              <span className="pt-1 text-sm text-ink-2">{chosen.hint}</span>
            </span>
            <Check checked={end} onChange={setEnd}>
              with the ending of each rule
            </Check>
          </div>
        )}
        {act === "column" && (
          <label className="block">
            One price for each chosen variant, in the order of the list
            <textarea
              value={column}
              onChange={(e) => setColumn(e.target.value)}
              rows={5}
              placeholder={"21.99\n23.99\n\n19,95"}
              className="mt-1 block w-full rounded border border-line-2 bg-surface px-2 py-1 font-sans tabular-nums"
            />
          </label>
        )}
        {act === "release" && <p className="text-ink-2">Manual prices go back to the rules.</p>}
        {complete && look.error && (
          <p className="mt-2 text-loss" role="alert">
            {look.error.message}
          </p>
        )}
        {seen && !look.error && <Seen priced={seen} />}
        <div className="mt-4 flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button
            tone="main"
            type="submit"
            disabled={!seen || kept === 0 || look.isFetching || !!look.error || keep.isPending}
          >
            {act === "release" ? "Back to rule prices" : `Set ${kept > 0 ? kept : ""} prices`}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

type SeenLine = Priced["lines"][number];

const seenColumns: Column<SeenLine>[] = [
  {
    id: "variant",
    name: "Variant",
    className: "max-w-64 py-1",
    by: (l) => l.title,
    show: (l) => (
      <>
        <span className="block truncate">
          <b className="font-semibold">{l.variant}</b> <span className="text-ink-2">{l.title}</span>
        </span>
        {(l.note || l.then?.below_floor) && <span className="text-sm text-loss">{l.note || "under its floor"}</span>}
      </>
    ),
  },
  {
    id: "now",
    name: "Now",
    align: "right",
    by: (l) => (l.now ? num(l.now) : 0),
    show: (l) => l.now && <Money of={l.now} />,
  },
  {
    id: "then",
    name: "Then",
    align: "right",
    className: "font-semibold",
    by: (l) => (l.then ? num(l.then.price) : 0),
    show: (l) => l.then && <Money of={l.then.price} />,
  },
  {
    id: "profit",
    name: "Profit",
    align: "right",
    by: (l) => (l.then ? num(l.then.profit) : 0),
    show: (l) => l.then && <Money of={l.then.profit} signed />,
  },
  {
    id: "margin",
    name: "Margin",
    align: "right",
    by: (l) => Number(l.then?.margin ?? 0),
    show: (l) => l.then && percent(l.then.margin),
  },
];

function Seen({ priced }: { priced: Priced }) {
  return (
    <>
      <p className="mt-3 mb-1">
        <b>{priced.rise}</b> rise, <b>{priced.fall}</b> fall
        {priced.below_floor > 0 && (
          <>
            , <b className="text-loss">{priced.below_floor}</b> under their floor
          </>
        )}
        {priced.loses_money > 0 && (
          <>
            , <b className="text-loss">{priced.loses_money}</b> would lose money
          </>
        )}
        {priced.skipped > 0 && (
          <>
            , <b>{priced.skipped}</b> left as they are
          </>
        )}
        . <span className="text-ink-2">Manual prices stay until they go back to the rules.</span>
      </p>
      <div
        className="max-h-64 overflow-auto border-t border-line"
        role="region"
        aria-label="Prices before and after"
        tabIndex={0}
      >
        <Table rows={priced.lines.slice(0, 200)} columns={seenColumns} rowKey={(l) => l.variant_id} />
      </div>
    </>
  );
}
