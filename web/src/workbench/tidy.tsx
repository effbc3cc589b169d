import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { Draft, Schemas } from "../api/client";
import { Button, Dialog } from "../parts/controls";
import type { EditDraft } from "./draft";
import { tidyQuery } from "./queries";
import { EditWording } from "./wording";

type Part = Schemas["WordsPart"];
type Tidied = Schemas["WorkbenchTidied"];

const reasons: Record<Exclude<Part["reason"], "">, string> = {
  decoration: "decoration",
  noise: "noise word",
  repeated: "said before",
  shouted: "shouted",
  too_long: "over the length",
  contact: "contact details",
  claim: "shipping or guarantee claim",
  table: "table to a list",
  empty: "space",
};

/** compose is a text with the changes of its parts but those that are left out. */
function compose(parts: Part[], leftOut: Set<number>): string {
  return parts.map((p, i) => (p.reason === "" || leftOut.has(i) ? p.text : p.to)).join("");
}

/** withoutHollow takes out elements of HTML that have nothing in them. */
function withoutHollow(html: string): string {
  const page = new DOMParser().parseFromString(html, "text/html");
  for (let i = 0; i < 6; i++)
    for (const part of page.querySelectorAll("p,li,ul,ol,div,b,i,strong,em,h2,h3,h4"))
      if (part.textContent?.trim() === "" && !part.querySelector("table,br + br")) part.remove();
  return page.body.innerHTML;
}

/** Tidy proposes what to change in the title and description of a draft: each change is accepted, or left out. */
export function Tidy({ draft, edit, onClose }: { draft: Draft; edit: EditDraft; onClose: () => void }) {
  const { data, error } = useQuery(tidyQuery(draft.id, draft.revision));
  const [lists, setLists] = useState(false);
  if (lists) return <EditWording onClose={() => setLists(false)} />;
  return (
    <Dialog open onClose={onClose} title="Tidy the words" size="full">
      {error && (
        <p className="text-loss" role="alert">
          {error.message}
        </p>
      )}
      {data ? (
        <Proposals
          key={draft.revision}
          draft={draft}
          tidied={data}
          edit={edit}
          onLists={() => setLists(true)}
          onClose={onClose}
        />
      ) : (
        !error && <p className="text-ink-2">Reading…</p>
      )}
    </Dialog>
  );
}

function Proposals({
  draft,
  tidied,
  edit,
  onLists,
  onClose,
}: {
  draft: Draft;
  tidied: Tidied;
  edit: EditDraft;
  onLists: () => void;
  onClose: () => void;
}) {
  const [title, setTitle] = useState<Set<number>>(() => new Set());
  const [description, setDescription] = useState<Set<number>>(() => new Set());
  const titleParts = tidied.title ?? [];
  const descriptionParts = tidied.description ?? [];
  const nextTitle = compose(titleParts, title).replace(/\s+/g, " ").trim();
  const proposed = [...titleParts, ...descriptionParts].filter((p) => p.reason && p.reason !== "empty").length;
  const accept = () => {
    const change: Parameters<EditDraft>[0] = {};
    if (nextTitle && nextTitle !== draft.title) change.title = nextTitle;
    if (descriptionParts.some((p, i) => p.reason && !description.has(i)))
      change.description = withoutHollow(compose(descriptionParts, description));
    if (Object.keys(change).length > 0) edit(change);
    onClose();
  };
  return (
    <>
      <Block name="Title" wording={tidied.title_wording}>
        <p className="text-lg leading-8">
          <Pieces parts={titleParts} leftOut={title} setLeftOut={setTitle} />
        </p>
        <p className="mt-1 text-ink-2">
          It becomes: <b className="font-semibold text-ink">{nextTitle || "nothing; leave a word in"}</b> ·{" "}
          {[...nextTitle].length} characters
        </p>
      </Block>
      <Block name="Description" wording={tidied.wording}>
        <div
          className="max-h-[38vh] overflow-auto leading-7 whitespace-pre-line"
          role="region"
          aria-label="Changes to the description"
          tabIndex={0}
        >
          <Pieces parts={descriptionParts} leftOut={description} setLeftOut={setDescription} html />
        </div>
      </Block>
      <p className="mt-3 text-sm text-ink-2">
        {proposed === 0
          ? "There is nothing to tidy."
          : "Press on a marked part to leave it as it is, and once more to tidy it."}{" "}
        <button type="button" className="min-h-6 underline" onClick={onLists}>
          Edit the lists of words
        </button>
      </p>
      <div className="mt-3 flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button tone="main" onClick={accept} disabled={proposed === 0 || nextTitle === ""} autoFocus>
          Tidy
        </Button>
      </div>
    </>
  );
}

function Block({ name, wording, children }: { name: string; wording: Schemas["WordsWording"]; children: ReactNode }) {
  return (
    <section className="mb-4" aria-label={name}>
      <h3 className="mb-1 text-base">
        {name}{" "}
        <span className="font-sans text-sm font-normal text-ink-2">
          {wording.share} % is the supplier's wording
          {wording.share > 0 && wording.passages?.[0] && `, most of all “${short(wording.passages[0])}”`}
        </span>
      </h3>
      {children}
    </section>
  );
}

const short = (text: string) => (text.length > 70 ? `${text.slice(0, 67)}…` : text);

/** Pieces shows the parts of a text; one that would change is a button that leaves it out, or takes it in again. */
function Pieces({
  parts,
  leftOut,
  setLeftOut,
  html = false,
}: {
  parts: Part[];
  leftOut: Set<number>;
  setLeftOut: (next: Set<number>) => void;
  html?: boolean;
}) {
  const shown = (text: string) => (html ? asText(text) : text);
  return parts.map((p, i) => {
    const key = `${i}`;
    if (p.reason === "" || (p.reason === "empty" && p.text.trim() === ""))
      return <span key={key}>{html ? asText(p.text) : p.text.replace(/\s+/g, " ")}</span>;
    const left = leftOut.has(i);
    return (
      <button
        key={key}
        type="button"
        aria-pressed={!left}
        title={reasons[p.reason]}
        onClick={() => {
          const next = new Set(leftOut);
          if (!next.delete(i)) next.add(i);
          setLeftOut(next);
        }}
        className={`min-h-6 rounded px-0.5 text-left ${left ? "border-b border-dashed border-line-2" : "bg-loss-wash"}`}
      >
        <span className="sr-only">{reasons[p.reason]}: </span>
        {left ? shown(p.text) : <del className="text-loss">{shown(p.text)}</del>}
        <span className="sr-only">{p.to ? ` becomes ${left ? shown(p.to) : ""}` : " goes"}</span>
        {!left && p.to && <ins className="ml-1 bg-profit-wash text-profit-ink no-underline">{shown(p.to)}</ins>}
      </button>
    );
  });
}

/** asText is what a reader sees of a piece of HTML, with a new line where a block ends. */
function asText(html: string): string {
  const lines = html
    .replace(/\s+/g, " ")
    .replace(/<\/(?:p|li|tr|div|h\d)>|<br\s*\/?>/gi, "\n")
    .replace(/<\/t[dh]>/gi, " ");
  const page = new DOMParser().parseFromString(`<pre>\n${lines}</pre>`, "text/html");
  return (page.body.textContent ?? "").replace(/ *\n[ \n]*/g, "\n");
}
