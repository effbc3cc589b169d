import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button, Notice } from "../parts/controls";
import { useKeys } from "../parts/keys";
import { useNavigate, useParams } from "../parts/route";
import { useSay } from "../parts/toast";
import { categoriesQuery } from "./queries";
import { number } from "./words";

type Choice = { name: string; path: string };

/** Categories maps a supplier's category names to the seller's own tree. */
export default function Categories() {
  const id = Number(useParams().id);
  const go = useNavigate();
  const say = useSay();
  const client = useQueryClient();
  const { may } = useSession();
  const [typed, setTyped] = useState<Record<string, string>>({});
  const categories = useQuery(categoriesQuery(id));
  const map = useMutation<unknown, Problem, Choice[]>({
    mutationFn: (body) => ask(api.PUT("/api/sources/{id}/categories", { params: { path: { id } }, body })),
    onSuccess: (_, choices) => {
      say(choices.length === 1 ? "Remembered." : `${number(choices.length)} names are mapped, and remembered.`);
      setTyped({});
    },
    onError: (error) => say(error.message, true),
    onSettled: () => refresh(client, "categories", "offers", "offer"),
  });
  const names = categories.data?.names ?? [];
  const proposed = names.filter((n) => !n.path && n.proposal).map((n) => ({ name: n.name, path: n.proposal }));
  const asTheyAre = names.filter((n) => !n.path && !n.proposal).map((n) => ({ name: n.name, path: n.name }));
  const back = () => go("/sources");
  useKeys([
    { keys: ["Escape"], label: "back to Sources", run: back },
    ...(may("editor") && proposed.length > 0
      ? [{ keys: ["a"], label: "take all proposals", run: () => map.mutate(proposed) }]
      : []),
  ]);
  const save = (choice: Choice, now: string) => {
    if (choice.path.trim() !== now) map.mutate([choice]);
  };
  if (categories.error && !categories.data)
    return (
      <main className="grow">
        <Notice alone title="The categories cannot be shown" error>
          <p>{categories.error.message}</p>
        </Notice>
      </main>
    );
  return (
    <main className="min-h-0 grow overflow-auto">
      <div className="mx-auto max-w-4xl px-4 py-3">
        <div className="flex items-center justify-between gap-3">
          <h1 className="text-xl">Category names and where they belong</h1>
          <div className="flex gap-2">
            {may("editor") && proposed.length > 0 && (
              <Button tone="main" onClick={() => map.mutate(proposed)} disabled={map.isPending}>
                Take {proposed.length === 1 ? "the proposal" : `all ${number(proposed.length)} proposals`}
              </Button>
            )}
            {may("editor") && asTheyAre.length > 0 && (
              <Button onClick={() => map.mutate(asTheyAre)} disabled={map.isPending}>
                Use {proposed.length > 0 ? "the other" : "their"} names as they are
              </Button>
            )}
            <Button onClick={back}>Back</Button>
          </div>
        </div>
        <p className="mt-1 mb-3 text-ink-2">
          On the left, what the supplier calls it; on the right, where it belongs in your own tree, its levels apart by
          “&gt;”. What you say is remembered for offers that come later. A name that you say nothing of stands for
          itself.
        </p>
        {categories.data && names.length === 0 && (
          <p className="py-8 text-center text-ink-2">This source names no categories.</p>
        )}
        <datalist id="own-categories">
          {categories.data?.tree.map((path) => (
            <option key={path} value={path} />
          ))}
        </datalist>
        <ul>
          {names.map((n) => (
            <li
              key={n.name}
              className="grid grid-cols-[1fr_5.625rem_1.4fr_auto] items-center gap-3 border-b border-line py-1.5"
            >
              <b className="truncate" title={n.name}>
                {n.name}
              </b>
              <span className="text-right whitespace-nowrap text-ink-2">
                {number(n.offers)} {n.offers === 1 ? "offer" : "offers"}
              </span>
              <input
                list="own-categories"
                aria-label={`Where ${n.name} belongs`}
                value={typed[n.name] ?? n.path}
                placeholder={n.proposal ? `${n.proposal}?` : n.name}
                readOnly={!may("editor")}
                maxLength={400}
                onChange={(e) => setTyped({ ...typed, [n.name]: e.target.value })}
                onBlur={(e) => save({ name: n.name, path: e.target.value }, n.path)}
                onKeyDown={(e) => {
                  if (e.key === "Enter") save({ name: n.name, path: e.currentTarget.value || n.proposal }, n.path);
                }}
                className={`w-full rounded-md border bg-surface px-2.5 py-1 ${n.path ? "border-line-2" : "border-dashed border-line-2"}`}
              />
              {!n.path && n.proposal && may("editor") ? (
                <Button
                  onClick={() => map.mutate([{ name: n.name, path: n.proposal }])}
                  aria-label={`Take it: ${n.proposal} for ${n.name}`}
                >
                  Take it
                </Button>
              ) : (
                <span className="text-sm text-ink-2">{n.mapped_by && `by ${n.mapped_by}`}</span>
              )}
            </li>
          ))}
        </ul>
      </div>
    </main>
  );
}
