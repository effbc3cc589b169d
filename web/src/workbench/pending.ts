import { useSyncExternalStore } from "react";
import { api, ask, type Draft, Problem, type Schemas } from "../api/client";
import { onReturn } from "../api/connection";

export type Edit = Omit<Schemas["WorkbenchEditInput"], "revision">;

/**
 * Pending is an edit that is not in the database yet. It waits in the browser's own store, through a reload and
 * while the application is away, until it is saved or a person lets it go.
 */
export type Pending = {
  id: string;
  draft: number;
  store: number;
  change: Edit;
  /** The values that its fields had when it was made, to know whether somebody else has changed them since. */
  base: Partial<Record<keyof Edit, unknown>>;
  at: number;
  /** Why it was refused, with what stands there now; absent while it waits. */
  refused?: { words: string; theirs?: Partial<Record<keyof Edit, unknown>> };
};

const place = "pelican.edits";
const listeners = new Set<() => void>();
let all: Pending[] = read();
let saving = "";

function read(): Pending[] {
  try {
    return JSON.parse(localStorage.getItem(place) ?? "[]") as Pending[];
  } catch {
    return [];
  }
}

function write(change: (now: Pending[]) => Pending[]) {
  all = change(read()); // another tab may have written meanwhile
  try {
    localStorage.setItem(place, JSON.stringify(all));
  } catch {
    // no room: it waits in this tab alone
  }
  tell();
}

function tell() {
  for (const listener of listeners) listener();
}

if (typeof window !== "undefined")
  window.addEventListener("storage", (event) => {
    if (event.key !== place) return;
    all = read();
    tell();
  });

const fields = ["title", "description", "collections", "tags", "pictures", "options"] as const;

/** valuesOf are a draft's values of the fields that an edit touches. */
function valuesOf(draft: Draft, change: Edit): Pending["base"] {
  const values: Pending["base"] = {};
  for (const field of fields) if (change[field] !== undefined) values[field] = draft[field];
  return values;
}

/** onSaved is told of each draft as it was saved, or found changed by somebody else. */
const onSaved = new Set<(draft: Draft, store: number) => void>();

export function whenSaved(act: (draft: Draft, store: number) => void): () => void {
  onSaved.add(act);
  return () => onSaved.delete(act);
}

/** add keeps an edit and sends it. One that waits for the same field is replaced by it. */
export function add(draft: Draft, store: number, change: Edit) {
  write((now) => {
    const text = change.title !== undefined ? "title" : change.description !== undefined ? "description" : undefined;
    const before =
      text &&
      now.find(
        (p) =>
          p.id !== saving && p.draft === draft.id && p.change[text] !== undefined && Object.keys(p.change).length === 1,
      );
    now = now.filter((p) => !(p.refused && p.draft === draft.id && overlap(p.change, change))); // corrected
    if (before)
      return now.map((p) =>
        p.id === before.id ? { ...p, change, at: Date.now(), refused: undefined } : p,
      ) as Pending[];
    return [
      ...now,
      {
        id: crypto.randomUUID?.() ?? `${Date.now()}-${Math.random()}`,
        draft: draft.id,
        store,
        change,
        base: valuesOf(draft, change),
        at: Date.now(),
      },
    ];
  });
  void send();
}

/** overlap tells whether two edits touch the same field, or the price of the same variant. */
function overlap(a: Edit, b: Edit): boolean {
  if (a.prices && b.prices) return a.prices.some((p) => b.prices?.some((q) => q.variant_id === p.variant_id));
  return (Object.keys(a) as (keyof Edit)[]).some((field) => field !== "prices" && b[field] !== undefined);
}

/** drop lets an edit go. */
export function drop(id: string) {
  write((now) => now.filter((p) => p.id !== id));
}

/** retry sends a refused edit again, over what stands there now. */
export function retry(id: string) {
  write((now) =>
    now.map(({ refused, ...p }) =>
      p.id === id ? { ...p, base: refused?.theirs ?? {} } : refused ? { ...p, refused } : p,
    ),
  );
  void send();
}

let sending = false;

/**
 * send saves what waits, one after another, one tab at a time. It stops where the application is away; onReturn goes
 * on.
 */
export async function send(): Promise<void> {
  if (sending) return;
  sending = true;
  try {
    if (navigator.locks) await navigator.locks.request("pelican.edits", sendAll);
    else await sendAll();
  } finally {
    sending = false;
    saving = "";
    tell();
  }
}

async function sendAll() {
  for (;;) {
    all = read();
    const held = new Set(all.filter((p) => p.refused).map((p) => p.draft));
    const next = all.find((p) => !p.refused && !held.has(p.draft)) ?? all.find((p) => !p.refused);
    if (!next) return;
    saving = next.id;
    tell();
    try {
      await save(next);
    } catch (error) {
      const problem = error as Problem;
      // Kept; it goes on when the application is back
      if (problem.status === 0 || problem.status >= 500 || problem.status === 401) return;
      write(
        (now) =>
          now.map((p) =>
            p.id === next.id ? { ...p, refused: { words: problem.message, theirs: (problem as Conflict).theirs } } : p,
          ) as Pending[],
      );
    }
  }
}

class Conflict extends Problem {
  constructor(
    message: string,
    readonly theirs: Pending["base"],
  ) {
    super(message, 409, "");
  }
}

async function save(p: Pending) {
  const params = { path: { id: p.draft }, query: { store: p.store } };
  for (let attempt = 0; ; attempt++) {
    const now = await ask(api.GET("/api/drafts/{id}", { params }));
    const theirs = valuesOf(now, p.change);
    const mine: Pending["base"] = p.change;
    for (const field of fields) {
      if (theirs[field] === undefined || same(theirs[field], mine[field])) continue;
      if (!(field in p.base) || same(theirs[field], p.base[field])) continue;
      for (const act of onSaved) act(now, p.store);
      throw new Conflict(`Somebody changed the ${field} meanwhile.`, theirs);
    }
    try {
      const saved = await ask(api.PATCH("/api/drafts/{id}", { params, body: { revision: now.revision, ...p.change } }));
      write((list) => list.filter((x) => x.id !== p.id || JSON.stringify(x.change) !== JSON.stringify(p.change)));
      for (const act of onSaved) act(saved, p.store);
      return;
    } catch (error) {
      if ((error as Problem).status !== 409 || attempt > 4) throw error; // changed between the two: look again
    }
  }
}

function same(a: unknown, b: unknown): boolean {
  return JSON.stringify(a) === JSON.stringify(b);
}

onReturn(() => void send());

/** editsWait says how many edits wait. */
export const editsWait = (n: number) => (n === 1 ? "1 edit waits" : `${n} edits wait`);

/** usePending are the edits that are not saved yet, of one draft or of all, and which of them is on its way. */
export function usePending(draft?: number): { edits: Pending[]; saving: string } {
  const edits = useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => all,
  );
  return { edits: draft === undefined ? edits : edits.filter((p) => p.draft === draft), saving };
}
