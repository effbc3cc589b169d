import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Problem } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button, Dialog } from "../parts/controls";
import { useNavigate } from "../parts/route";
import type { Run, RunInput } from "./queries";

/** Act is what is done to listings besides sending them again. */
export type Act = "show" | "hide" | "take_down";

/** useStartRun begins a run, and shows it. */
export function useStartRun() {
  const client = useQueryClient();
  const go = useNavigate();
  return useMutation<Run, Problem, RunInput>({
    mutationFn: (body) => ask(api.POST("/api/runs", { body })),
    onSuccess: (run) => {
      void refresh(client, "runs", "header");
      go(`/listings/runs/${run.id}`);
    },
  });
}

const words = {
  show: {
    title: "Show",
    body: "Customers see it again, as it was sent last.",
    many: "Customers see them again, as they were sent last.",
  },
  hide: {
    title: "Hide",
    body: "Customers do not see it any more; it stays in the store, and can be shown again.",
    many: "Customers do not see them any more; they stay in the store, and can be shown again.",
  },
  take_down: {
    title: "Take down",
    body: "It goes out of the store. The draft and its prices stay here, and can be published again.",
    many: "They go out of the store. Drafts and prices stay here, and can be published again.",
  },
} as const;

/** ActOnListings asks before what customers see is changed. */
export function ActOnListings({ act, drafts, onClose }: { act: Act; drafts: number[]; onClose: () => void }) {
  const { store, storeId } = useSession();
  const start = useStartRun();
  const one = drafts.length === 1;
  const count = one ? "one listing" : `${drafts.length.toLocaleString("en")} listings`;
  return (
    <Dialog open onClose={onClose} title={`${words[act].title} ${count} in ${store?.name}?`}>
      <p className="mb-4">{one ? words[act].body : words[act].many}</p>
      {start.error && (
        <p className="mb-3 text-loss" role="alert">
          {start.error.message}
        </p>
      )}
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button
          tone={act === "show" ? "main" : "danger"}
          autoFocus
          disabled={start.isPending}
          onClick={() => start.mutate({ act, draft_ids: drafts, stores: [{ store_id: storeId }] })}
        >
          {words[act].title} {one ? "it" : drafts.length.toLocaleString("en")}
        </Button>
      </div>
    </Dialog>
  );
}
