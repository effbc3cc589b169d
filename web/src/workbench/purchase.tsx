import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Draft, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Picture } from "../parts/controls";
import { Money } from "../parts/money";
import type { Column } from "../parts/table";
import { useSay } from "../parts/toast";
import { showDraft } from "./queries";

// What swapping a supplier and adding one have in common.

export type Priced = Schemas["WorkbenchVariantPrice"];

/** The room that cells of variants take, and cells of figures. */
export const pad = "px-2 py-1.5";
export const figure = { align: "right", className: `${pad} whitespace-nowrap` } as const;

/** pictureColumn shows what a variant looks like. */
export const pictureColumn = <R extends { picture: string }>(): Column<R> => ({
  id: "picture",
  name: "Picture",
  unseen: true,
  className: `${pad} w-14 pl-4`,
  show: (r) => <Picture path={r.picture} width={96} className="size-10 min-w-10 border border-line" />,
});

/** Landed is what a variant lands for, bold where that is less than before; or why it has no price. */
export function Landed({ of, was }: { of: Priced; was?: Priced | null | undefined }) {
  if (!of.ladder)
    return <span className="block max-w-56 text-left text-sm whitespace-normal text-loss">{of.no_price}</span>;
  const cheaper = was?.ladder && Number(of.ladder.landed.value) < Number(was.ladder.landed.value);
  return <Money of={of.ladder.landed} className={cheaper ? "font-semibold text-profit-ink" : ""} />;
}

/** usePurchase shows a draft that is bought otherwise than before, and takes that back. */
export function usePurchase(id: number, undone: (draft: Draft) => string) {
  const { storeId } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const show = (draft: Draft) => {
    showDraft(client, storeId, draft);
    void refresh(client, "drafts", "offer", "offers", "swap", "combine");
  };
  const undo = useMutation<Draft, Problem, void>({
    mutationFn: () => ask(api.POST("/api/drafts/{id}/undo", { params: { path: { id }, query: { store: storeId } } })),
    onSuccess: (draft) => {
      show(draft);
      say(undone(draft));
    },
    onError: (error) => say(error.message, true),
  });
  return { show, undo: { words: "Undo", run: () => undo.mutate() } };
}
