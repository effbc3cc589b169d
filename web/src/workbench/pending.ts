import { useMemo, useSyncExternalStore } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { onReturn } from "../api/connection";

import type { Edited } from "./queries";

export type Edit = Omit<Schemas["WorkbenchEditInput"], "base">;

/**
 * Pending is an edit that is not in the database yet. It waits in the browser's own store, through a reload and
 * while the application is away, until it is saved or a person lets it go.
 */
export type Pending = {
  id: string;
  draft: number;
  store: number;
  change: Edit;
  /** The revision at which each of its fields was changed last, as it was seen. */
  base: Record<string, number>;
  at: number;
  /** Why it was refused, with what stands there now; absent while it waits. */
  refused?: { words: string; conflict?: Conflict };
};

/** Conflict is that somebody else changed a field meanwhile: what stands there now, and since which revision. */
export type Conflict = { field: string; revision: number; by: string; theirs: unknown };

const place = "pelican.edits.2"; // of the second shape that it has had
const listeners = new Set<() => void>();
let all: Pending[] = read();
let saving = "";

/** Edits that wait since before their second shape; they go over whatever stands there. */
function readFirstShape(): Pending[] {
  const old = JSON.parse(localStorage.getItem("pelican.edits") ?? "[]") as Pending[];
  for (const p of old) {
    p.base = {};
    p.refused = undefined;
    const pictures = p.change.pictures as unknown as { place: number; shown: boolean }[] | undefined;
    if (pictures) p.change.pictures = pictures.map(({ place: id, shown }) => ({ id, shown }));
  }
  return old;
}

function read(): Pending[] {
  try {
    if (localStorage.getItem("pelican.edits")) {
      localStorage.setItem(place, JSON.stringify(readFirstShape()));
      localStorage.removeItem("pelican.edits");
    }
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

const plainFields = [
  "title",
  "description",
  "collections",
  "tags",
  "pictures",
  "options",
  "chosen",
  "type",
  "vendor",
  "search_title",
  "search_description",
  "reserve",
  "delivery",
  "tray",
] as const;

/** fieldsOf are the fields that an edit touches in a store, as the server names them. */
export function fieldsOf(change: Edit, store: number): string[] {
  const fields: string[] = plainFields.filter((f) => change[f] !== undefined);
  for (const f of change.restore ?? []) fields.push(f);
  for (const part of ["title", "description"] as const)
    if (change[`own_${part}`] !== undefined) fields.push(`own:${store}:${part}`);
  for (const c of change.codes ?? []) {
    if (c.sku !== undefined) fields.push(`sku:${c.variant_id}`);
    if (c.barcode !== undefined) fields.push(`barcode:${c.variant_id}`);
  }
  if (change.remove_contacts) fields.push("description");
  for (const p of change.prices ?? []) fields.push(`price:${store}:${p.variant_id}`);
  return fields;
}

/** onSaved is told of each edit as it was saved. */
const onSaved = new Set<(draft: number, store: number, edited: Edited, change: Edit) => void>();

export function whenSaved(act: (draft: number, store: number, edited: Edited, change: Edit) => void): () => void {
  onSaved.add(act);
  return () => onSaved.delete(act);
}

/** Seen is what an edit has to know of a draft: which it is, and when each of its fields was changed last. */
type Seen = { id: number; changes: Record<string, { revision: number }> };

/**
 * add keeps an edit and sends it. One that waits for the same field is replaced by it. The draft is as it was seen when
 * the person began.
 */
export function add(draft: Seen, store: number, change: Edit) {
  const base = Object.fromEntries(fieldsOf(change, store).map((f) => [f, draft.changes[f]?.revision ?? 0]));
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
        base,
        at: Date.now(),
      },
    ];
  });
  void send();
}

/** overlap tells whether two edits touch the same field, or the price of the same variant. */
function overlap(a: Edit, b: Edit): boolean {
  const apart = ["prices", "codes"] as const; // each is a field for every variant
  if (apart.some((f) => a[f]?.some((p) => b[f]?.some((q) => q.variant_id === p.variant_id)))) return true;
  return (Object.keys(a) as (keyof Edit)[]).some(
    (field) => !apart.includes(field as (typeof apart)[number]) && b[field] !== undefined,
  );
}

/** drop lets an edit go. */
export function drop(id: string) {
  write((now) => now.filter((p) => p.id !== id));
}

/** retry sends a refused edit again, over what stands there now. */
export function retry(id: string) {
  write((now) =>
    now.map(({ refused, ...p }) => {
      if (p.id !== id) return refused ? { ...p, refused } : p;
      return refused?.conflict
        ? { ...p, base: { ...p.base, [refused.conflict.field]: refused.conflict.revision } }
        : { ...p, base: {} };
    }),
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
            p.id === next.id ? { ...p, refused: { words: problem.message, conflict: conflictOf(problem) } } : p,
          ) as Pending[],
      );
    }
  }
}

/** conflictOf is what stands where an edit was to go, where somebody else has changed it. */
function conflictOf(problem: Problem): Conflict | undefined {
  return problem.status === 409 && problem.value ? (problem.value as Conflict) : undefined;
}

async function save(p: Pending) {
  const params = { path: { id: p.draft }, query: { store: p.store } };
  const edited = await ask(api.PATCH("/api/drafts/{id}", { params, body: { ...p.change, base: p.base } }));
  // What waits for the same fields was made over this edit, not over another's.
  const fields = fieldsOf(p.change, p.store);
  write((list) =>
    list
      .filter((x) => x.id !== p.id || JSON.stringify(x.change) !== JSON.stringify(p.change))
      .map((x) =>
        x.draft === p.draft
          ? {
              ...x,
              base: {
                ...x.base,
                ...Object.fromEntries(fields.filter((f) => f in x.base).map((f) => [f, edited.revision])),
              },
            }
          : x,
      ),
  );
  for (const act of onSaved) act(p.draft, p.store, edited, p.change);
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
  const own = useMemo(() => (draft === undefined ? edits : edits.filter((p) => p.draft === draft)), [edits, draft]);
  return { edits: own, saving };
}
