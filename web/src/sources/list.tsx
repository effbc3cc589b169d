import { DndContext, type DragEndEvent, KeyboardSensor, PointerSensor, useSensor, useSensors } from "@dnd-kit/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, ask, type Problem, type Schemas, upload } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button, Notice } from "../parts/controls";
import { Field } from "../parts/field";
import { useKeys } from "../parts/keys";
import { useNavigate, useParams } from "../parts/route";
import { useSay } from "../parts/toast";
import { Chips, Columns } from "./columns";
import { Form } from "./form";
import { Preview } from "./preview";
import { analysisQuery } from "./queries";
import { Questions } from "./questions";
import { Terms } from "./terms";
import { accepted, type Layout, type Looked, number, readRule, writeRule } from "./words";

type List = Schemas["SourcesPriceListInput"];

/** ListPlace connects a price list: the file is looked at, shown as what it would become, and corrected. */
export default function ListPlace() {
  const { id } = useParams();
  const { may } = useSession();
  const go = useNavigate();
  const back = () => go("/sources");
  const analysis = useAnalysis(id, back);
  const { known, looked, layout, address, look, take, sending, list, turn, correct, match, setLayout } = analysis;
  useKeys([
    { keys: ["Escape"], label: "back to Sources", run: back },
    ...(looked ? [{ keys: ["ctrl+Enter"], label: "import it", run: () => take.mutate(), whileTyping: true }] : []),
  ]);
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor),
  );

  const dropped = (event: DragEndEvent) => {
    if (event.over) match(Number(event.over.id), String(event.active.id));
  };

  if (known.error && !known.data)
    return (
      <main className="grow">
        <Notice alone title="This list cannot be shown" error>
          <p>{known.error.message}</p>
        </Notice>
      </main>
    );
  if (id !== undefined && !looked) return <main className="grow" />;
  if (!looked || !layout) {
    const error = look.error?.message ?? sending.error?.message;
    return (
      <Beginning
        {...{ address, error }}
        setAddress={analysis.setAddress}
        busy={look.isPending || sending.isPending}
        onLook={() => look.mutate({ list: list(), turn: turn.current })}
        onFile={(file) => sending.mutate(file)}
        onBack={back}
      />
    );
  }
  const readOnly = id !== undefined && !may("editor");
  const error = take.error?.message ?? looked.error;
  return (
    <main className="flex min-h-0 grow max-md:flex-col">
      <DndContext sensors={sensors} onDragEnd={dropped}>
        <div className="flex min-w-0 grow flex-col max-md:shrink-0">
          <About looked={looked} layout={layout} onChange={correct} />
          {layout.format !== "ubl" && <Chips layout={layout} />}
          <div className="min-h-0 grow overflow-auto" aria-busy={look.isPending}>
            {layout.format !== "ubl" && <Columns looked={looked} layout={layout} onMatch={match} />}
            <Preview looked={looked} />
          </div>
        </div>
      </DndContext>
      <section
        aria-label="Supplier terms"
        tabIndex={0}
        className="w-[20.625rem] shrink-0 overflow-auto border-l border-line bg-surface p-4"
      >
        <Questions
          questions={looked.questions.map((q) => ({ ...q, answer: layout.answers?.[q.key] ?? q.answer }))}
          busy={look.isPending}
          onAnswer={(key, answer) => correct({ answers: { ...layout.answers, [key]: answer } })}
        />
        <Terms
          layout={layout}
          onChange={(part) => setLayout({ ...layout, ...part })}
          onDone={(part) => correct(part)}
          {...(id === undefined && address ? { rule: analysis.rule, onRule: analysis.setRule } : {})}
        />
        {error && (
          <p className="mt-4 rounded-md bg-loss-wash p-2 text-loss" role="alert">
            {error}
          </p>
        )}
        <div className="mt-4 flex gap-2">
          <Button
            tone="main"
            onClick={() => take.mutate()}
            disabled={take.isPending || readOnly || looked.field === "columns" || looked.field === "questions"}
          >
            {take.isPending ? "Starting…" : "Import"}
          </Button>
          <Button onClick={back}>Cancel</Button>
        </div>
        {looked.bad > 0 && (
          <p className="mt-3 text-sm text-ink-2">
            Of the first rows, {number(looked.bad)} would be rejected with the reason; the rest is imported.
          </p>
        )}
      </section>
    </main>
  );
}

/** useAnalysis is what a price list was found to be, what was corrected of it, and its import. */
function useAnalysis(id: string | undefined, onTaken: () => void) {
  const { store } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const [address, setAddress] = useState("");
  const [looked, setLooked] = useState<Looked>();
  const [layout, setLayout] = useState<Layout>();
  const [rule, setRule] = useState(readRule("FREQ=DAILY;BYHOUR=6;BYMINUTE=0"));
  const known = useQuery(analysisQuery(id));
  const turn = useRef(0);
  const show = (found: Looked) => {
    setLooked(found);
    // What is typed meanwhile about the supplier stands.
    setLayout((now) =>
      now
        ? {
            ...found.layout,
            supplier: now.supplier,
            country: now.country,
            processing: now.processing,
            deliveries: now.deliveries,
            delivery_sheet: now.delivery_sheet ?? "",
          }
        : found.layout,
    );
  };
  useEffect(() => {
    if (known.data) {
      setLooked(known.data);
      setLayout(known.data.layout);
    }
  }, [known.data]);
  const list = (next?: Layout): List => ({
    file: looked?.file ?? "",
    address: looked ? address : address.trim(),
    name: looked?.name ?? "",
    store: store?.id ?? 0,
    schedule: address ? writeRule(rule) : "",
    time_zone: store?.time_zone ?? "UTC",
    ...(next ? { layout: next } : {}),
  });
  const look = useMutation<Looked, Problem, { list: List; turn: number }>({
    mutationFn: ({ list }) => ask(api.POST("/api/price-lists/analyze", { body: list })),
    onSuccess: (found, asked) => asked.turn === turn.current && show(found),
    onError: (error) => looked && say(error.message, true),
  });
  const sending = useMutation<Looked, Problem | Error, File>({
    mutationFn: async (file) => {
      const up = await upload(file);
      setAddress("");
      return ask(
        api.POST("/api/price-lists/analyze", { body: { ...list(), file: up.file, name: up.name, address: "" } }),
      );
    },
    onSuccess: show,
  });
  const take = useMutation<unknown, Problem>({
    mutationFn: async () => {
      if (!layout) return;
      if (id !== undefined)
        return ask(api.PUT("/api/sources/{id}/layout", { params: { path: { id: Number(id) } }, body: layout }));
      return ask(api.POST("/api/price-lists", { body: list(layout) }));
    },
    onSuccess: () => {
      say("The list is being imported. You can leave; it goes on.");
      void refresh(client, "sources", "header", "offers", "look");
      onTaken();
    },
  });
  /** correct puts a change in and asks for what the list looks like then. */
  const correct = (part: Partial<Layout>, anew = false) => {
    if (!layout) return;
    const next = { ...layout, ...part };
    setLayout(next);
    // A change of how the file is read makes other columns: they are matched anew.
    turn.current++;
    look.mutate({ list: list(anew ? { ...next, columns: [] } : next), turn: turn.current });
  };
  const match = (column: number, field: string) => {
    if (!layout) return;
    const many = field === "option" || field === "picture" || field === "";
    // What is said of a column stands in place of an answer about it.
    const before = layout.columns[column]?.field ?? "";
    const answers = Object.fromEntries(
      Object.entries(layout.answers ?? {}).filter(([key]) => key !== field && key !== before),
    );
    correct({
      answers,
      columns: layout.columns.map((c, i) =>
        i === column ? { ...c, field } : !many && c.field === field ? { ...c, field: "" } : c,
      ),
    });
  };
  return {
    ...{ known, looked, layout, setLayout, address, setAddress, rule, setRule },
    ...{ look, sending, take, list, turn, correct, match },
  };
}

/** About says which file it is, how it is written, and what of it is not read. */
function About({
  looked,
  layout,
  onChange,
}: {
  looked: Looked;
  layout: Layout;
  onChange: (part: Partial<Layout>, anew?: boolean) => void;
}) {
  return (
    <div className="border-b border-line px-4 py-3">
      <div className="flex items-baseline justify-between gap-4">
        <h1 className="min-w-0 truncate text-xl">{looked.name}</h1>
        {looked.rows > 0 && <span className="whitespace-nowrap text-ink-2">about {number(looked.rows)} rows</span>}
      </div>
      <Form looked={looked} layout={layout} onChange={onChange} />
      {looked.unread.length > 0 && (
        <p className="text-sm text-ink-2">
          Not read:{" "}
          {looked.unread
            .map((c) => (c.why ? `${c.header || "(no name)"} (${c.why})` : c.header || "(no name)"))
            .join(", ")}
          .
        </p>
      )}
      {looked.notes.map((note) => (
        <p key={note} className="text-sm text-ink-2">
          {note}
        </p>
      ))}
    </div>
  );
}

function Beginning({
  address,
  setAddress,
  error,
  busy,
  onLook,
  onFile,
  onBack,
}: {
  address: string;
  setAddress: (text: string) => void;
  error: string | undefined;
  busy: boolean;
  onLook: () => void;
  onFile: (file: File) => void;
  onBack: () => void;
}) {
  const [over, setOver] = useState(false);
  return (
    <main className="grow overflow-auto">
      <div className="mx-auto max-w-xl px-6 py-10">
        <h1 className="mb-2 text-xl">Connect a price list</h1>
        <p className="mb-5 text-ink-2">
          CSV, XLSX or a UBL catalogue, as your wholesaler sends it. How it is written and what its columns mean is
          found out and shown to you before anything is imported.
        </p>
        <label
          onDragOver={(e) => {
            e.preventDefault();
            setOver(true);
          }}
          onDragLeave={() => setOver(false)}
          onDrop={(e) => {
            e.preventDefault();
            setOver(false);
            const file = e.dataTransfer.files[0];
            if (file) onFile(file);
          }}
          className={`block cursor-pointer rounded-lg border-2 border-dashed px-6 py-8 text-center focus-within:outline-2 focus-within:outline-(--focus) ${over ? "border-beak bg-beak-wash" : "border-line-2 bg-surface hover:bg-sunk"}`}
        >
          <b>{busy ? "Analyzing…" : "Choose a file"}</b>
          <span className="text-ink-2"> or drop it here</span>
          <input
            type="file"
            accept={accepted}
            className="sr-only"
            disabled={busy}
            onChange={(e) => {
              const file = e.currentTarget.files?.[0];
              if (file) onFile(file);
              e.currentTarget.value = "";
            }}
          />
        </label>
        <form
          className="mt-6"
          onSubmit={(e) => {
            e.preventDefault();
            onLook();
          }}
        >
          <Field
            label="Or the address it is fetched from"
            value={address}
            onChange={(e) => setAddress(e.target.value)}
            placeholder="https://wholesaler.example.com/price-list.csv"
            error={error}
            hint="It is fetched again on a schedule that you choose."
          />
          <div className="mt-3 flex gap-2">
            <Button tone="main" type="submit" disabled={busy || address.trim() === ""}>
              {busy ? "Analyzing…" : "Analyze"}
            </Button>
            <Button onClick={onBack}>Cancel</Button>
          </div>
        </form>
      </div>
    </main>
  );
}
