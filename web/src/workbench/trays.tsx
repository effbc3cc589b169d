import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type DragEvent, useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { Button, Dialog } from "../parts/controls";
import { Field } from "../parts/field";
import { useSay } from "../parts/toast";
import { type DraftFilter, traysQuery, undoBulk } from "./queries";

type Tray = Schemas["WorkbenchTray"];

/** What a dragged draft is carried as. */
export const draggedDrafts = "application/x-pelican-drafts";

/** useMoveToTray lays drafts into a tray, as one step that can be undone. */
export function useMoveToTray() {
  const client = useQueryClient();
  const say = useSay();
  return useMutation<Schemas["WorkbenchBulkResult"], Problem, { drafts: number[]; tray: number; name: string }>({
    mutationFn: ({ drafts, tray }) =>
      ask(
        api.POST("/api/drafts/change", {
          body: { drafts, change: { act: "move_to_tray", number: tray }, apply: true },
        }),
      ),
    onSuccess: (moved, { name }) => {
      void refresh(client, "drafts", "draft", "trays");
      const words = moved.changed === 1 ? "1 draft is" : `${moved.changed} drafts are`;
      if (moved.changed === 0) return say("They lie there already.");
      say(`${words} in ${name} now.`, false, {
        words: "Undo",
        run: () =>
          void undoBulk(moved.bulk)
            .then(() => refresh(client, "drafts", "draft", "trays"))
            .catch((error: Problem) => say(error.message, true)),
      });
    },
    onError: (error) => say(error.message, true),
  });
}

/** TrayStrip are the trays above the list: one is pressed to see what lies in it, and drafts are dropped onto it. */
export function TrayStrip({
  filter,
  change,
  readOnly,
  onManage,
}: {
  filter: DraftFilter;
  change: (part: Partial<DraftFilter>) => void;
  readOnly: boolean;
  onManage: () => void;
}) {
  const trays = useQuery(traysQuery).data ?? [];
  const move = useMoveToTray();
  const [over, setOver] = useState(0);
  const drop = (tray: Tray) => ({
    onDragOver: (e: DragEvent) => {
      if (!e.dataTransfer.types.includes(draggedDrafts)) return;
      e.preventDefault();
      setOver(tray.id);
    },
    onDragLeave: () => setOver(0),
    onDrop: (e: DragEvent) => {
      e.preventDefault();
      setOver(0);
      const drafts = JSON.parse(e.dataTransfer.getData(draggedDrafts) || "[]") as number[];
      if (drafts.length > 0) move.mutate({ drafts, tray: tray.id, name: tray.name });
    },
  });
  if (trays.length === 0 && readOnly) return null;
  return (
    <div className="flex max-h-24 shrink-0 flex-wrap items-center gap-1 overflow-auto border-b border-line px-2 py-1.5 text-sm">
      {trays.map((t) => (
        <button
          key={t.id}
          type="button"
          aria-pressed={filter.tray === t.id}
          onClick={() => change({ tray: filter.tray === t.id ? undefined : t.id })}
          {...(readOnly ? {} : drop(t))}
          className={`flex min-h-6 max-w-full items-center gap-1.5 rounded border px-1.5 ${over === t.id ? "border-beak bg-beak-wash" : filter.tray === t.id ? "border-ink bg-surface font-semibold" : "border-line-2 hover:bg-surface"} ${t.aside ? "border-dashed" : ""}`}
        >
          <span className="truncate">{t.name}</span>
          <span className="text-ink-2">{t.drafts}</span>
          <span className="sr-only">drafts in this tray</span>
        </button>
      ))}
      {!readOnly && (
        <button type="button" onClick={onManage} className="min-h-6 px-1 text-ink-2 underline underline-offset-2">
          {trays.length === 0 ? "Make a tray" : "Trays…"}
        </button>
      )}
    </div>
  );
}

/** MoveToTray asks into which tray drafts go. */
export function MoveToTray({ drafts, onClose }: { drafts: number[]; onClose: () => void }) {
  const trays = useQuery(traysQuery).data ?? [];
  const move = useMoveToTray();
  const make = useMakeTray();
  const to = (tray: { id: number; name: string }) => {
    move.mutate({ drafts, tray: tray.id, name: tray.name });
    onClose();
  };
  const later = trays.find((t) => t.aside);
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Move ${drafts.length === 1 ? "1 draft" : `${drafts.length} drafts`} to a tray`}
    >
      <div className="mb-3 flex flex-wrap gap-1.5">
        {trays.map((t) => (
          <Button key={t.id} onClick={() => to(t)}>
            {t.name} <span className="font-normal text-ink-2">{t.aside ? "put aside" : t.drafts}</span>
          </Button>
        ))}
        <Button tone="quiet" onClick={() => to({ id: 0, name: "no tray" })}>
          No tray
        </Button>
        {!later && (
          <Button
            tone="quiet"
            onClick={() => make.mutate({ name: "Later", aside: true }, { onSuccess: (made) => to(made) })}
          >
            Put aside for later
          </Button>
        )}
      </div>
      <NewTray words="Make it and move" onMade={to} />
    </Dialog>
  );
}

function useMakeTray() {
  const client = useQueryClient();
  return useMutation<Tray, Problem, { name: string; aside?: boolean }>({
    mutationFn: (body) => ask(api.POST("/api/trays", { body })),
    onSuccess: () => void refresh(client, "trays"),
  });
}

function NewTray({ words, onMade }: { words: string; onMade: (tray: Tray) => void }) {
  const make = useMakeTray();
  const [name, setName] = useState("");
  return (
    <form
      className="flex items-end gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate(
          { name },
          {
            onSuccess: (made) => {
              setName("");
              onMade(made);
            },
          },
        );
      }}
    >
      <div className="grow">
        <Field
          label="A new tray"
          value={name}
          error={make.error?.message}
          onChange={(e) => setName(e.target.value)}
          maxLength={60}
        />
      </div>
      <Button type="submit" disabled={!name.trim() || make.isPending}>
        {words}
      </Button>
    </form>
  );
}

const patch = ({ id, body }: { id: number; body: Schemas["WorkbenchTrayInput"] }) =>
  ask(api.PATCH("/api/trays/{id}", { params: { path: { id } }, body }));

/** TrayName renames a tray once it is left, or with Enter. A name that cannot be had stays to be mended. */
function TrayName({ tray }: { tray: Tray }) {
  const client = useQueryClient();
  const [name, setName] = useState(tray.name);
  const rename = useMutation<unknown, Problem, string>({
    mutationFn: (next) => patch({ id: tray.id, body: { name: next } }),
    onSuccess: () => void refresh(client, "trays", "drafts"),
  });
  const save = () => {
    const next = name.trim();
    if (!next) setName(tray.name);
    else if (next !== tray.name && !rename.isPending) rename.mutate(next);
  };
  return (
    <div className="grow">
      <Field
        compact
        label={`Name of ${tray.name}`}
        value={name}
        error={rename.error?.message}
        maxLength={60}
        onChange={(e) => setName(e.target.value)}
        onBlur={save}
        onKeyDown={(e) => e.key === "Enter" && save()}
        className="w-48"
      />
    </div>
  );
}

/** Trays makes, renames, orders and removes trays. */
export function Trays({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const say = useSay();
  const trays = useQuery(traysQuery).data ?? [];
  const change = useMutation<unknown, Problem, { id: number; body: Schemas["WorkbenchTrayInput"] }>({
    mutationFn: patch,
    onMutate: ({ id, body }) => {
      // At once; the order follows with the answer.
      const { position: _, ...now } = body;
      client.setQueryData(traysQuery.queryKey, (list) => list?.map((t) => (t.id === id ? { ...t, ...now } : t)));
    },
    onError: (error) => say(error.message, true),
    onSettled: () => void refresh(client, "trays", "drafts"),
  });
  const remove = useMutation<unknown, Problem, Tray>({
    mutationFn: (t) => ask(api.DELETE("/api/trays/{id}", { params: { path: { id: t.id } } })),
    onSuccess: (_, t) => say(`The tray ${t.name} is removed; its ${t.drafts} drafts are in no tray now.`),
    onError: (error) => say(error.message, true),
    onSettled: () => void refresh(client, "trays", "drafts"),
  });
  return (
    <Dialog open onClose={onClose} title="Trays">
      <p className="mb-3 text-ink-2">
        A tray groups drafts. Drafts of one that is put aside are left out of the list until you ask for the tray.
      </p>
      <ul className="mb-3 divide-y divide-line border-y border-line empty:hidden">
        {trays.map((t, i) => (
          <li key={t.id} className="flex items-center gap-2 py-1">
            <TrayName key={t.name} tray={t} />
            <label className="flex items-center gap-1.5 text-sm">
              <input
                type="checkbox"
                className="size-4 accent-(--beak-fill)"
                checked={t.aside}
                onChange={(e) => change.mutate({ id: t.id, body: { aside: e.target.checked } })}
              />
              put aside
            </label>
            <Button
              tone="quiet"
              className="px-1.5!"
              aria-label={`Move ${t.name} up`}
              disabled={i === 0}
              onClick={() => change.mutate({ id: t.id, body: { position: i - 1 } })}
            >
              ↑
            </Button>
            <Button
              tone="quiet"
              className="px-1.5!"
              aria-label={`Move ${t.name} down`}
              disabled={i === trays.length - 1}
              onClick={() => change.mutate({ id: t.id, body: { position: i + 1 } })}
            >
              ↓
            </Button>
            <Button tone="quiet" aria-label={`Remove ${t.name}`} onClick={() => remove.mutate(t)}>
              Remove
            </Button>
          </li>
        ))}
      </ul>
      <NewTray words="Make tray" onMade={() => {}} />
    </Dialog>
  );
}
