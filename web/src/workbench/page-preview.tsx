import { useState } from "react";
import type { Draft, DraftVariant } from "../api/client";
import { useSession } from "../frame/session";
import { Dialog, Picture } from "../parts/controls";
import { Money, num } from "../parts/money";
import { Radios } from "../parts/radios";

const widths = { telephone: 390, desk: 900 } as const;
type Width = keyof typeof widths;

/** PagePreview is the page of a draft as the store would show it, with the variant that a customer chooses. */
export function PagePreview({ draft, onClose }: { draft: Draft; onClose: () => void }) {
  const [width, setWidth] = useState<Width>("telephone");
  return (
    <Dialog open onClose={onClose} title="As the store would show it" size="full">
      <Radios
        label="Width"
        ways={[
          ["telephone", "Telephone"],
          ["desk", "Desk"],
        ]}
        value={width}
        onChange={setWidth}
      />
      <div
        className="overflow-auto rounded-md border border-line bg-paper p-3"
        role="region"
        aria-label="Store page"
        tabIndex={0}
      >
        <div
          className="mx-auto max-w-full overflow-hidden rounded-md border border-line-2 bg-surface"
          style={{ width: widths[width] }}
        >
          <StorePage key={draft.id} draft={draft} narrow={width === "telephone"} />
        </div>
      </div>
    </Dialog>
  );
}

/** sold are the variants that a customer can choose among. */
const sold = (draft: Draft) => draft.variants.filter((v) => v.chosen && v.ladder);

function StorePage({ draft, narrow }: { draft: Draft; narrow: boolean }) {
  const { store } = useSession();
  const variants = sold(draft);
  const [values, setValues] = useState(variants[0]?.values ?? []);
  const variant = variants.find((v) => v.values.every((x, i) => x === values[i]));
  const shown = draft.pictures.filter((p) => p.shown);
  const first = variant?.picture || shown[0]?.path || "";
  return (
    <article className={narrow ? "p-4" : "grid grid-cols-2 gap-6 p-6"}>
      <div>
        <Picture path={first} width={800} className="aspect-square w-full" />
        <div className="mt-1.5 flex flex-wrap gap-1.5">
          {shown.slice(0, 6).map((p) => (
            <Picture key={p.id} path={p.path} width={96} className="size-12 border border-line" />
          ))}
        </div>
      </div>
      <div className={narrow ? "mt-3" : ""}>
        <h3 className="text-xl leading-7">{draft.own.title || draft.title || "No title"}</h3>
        <p className="text-sm text-ink-2">
          {draft.vendor || store?.name}
          {draft.type && ` · ${draft.type}`}
        </p>
        <p className="mt-2 text-lg" aria-live="polite">
          {variant?.ladder ? (
            <Price variant={variant} />
          ) : (
            <span className="text-ink-2">{variants.length === 0 ? "No variant can be sold yet." : "not sold so"}</span>
          )}
        </p>
        {draft.options.map((option, i) => (
          <fieldset key={`${option.original} ${option.name}`} className="mt-3">
            <legend className="mb-1 text-sm text-ink-2">{option.name}</legend>
            <div className="flex flex-wrap gap-1.5">
              {option.values
                .filter((v) => variants.some((x) => x.values[i] === v.name))
                .map((value) => (
                  <label
                    key={value.name}
                    className={`flex min-h-8 cursor-pointer items-center rounded border px-2.5 has-focus-visible:outline-2 ${values[i] === value.name ? "border-ink font-semibold" : "border-line-2"}`}
                  >
                    <input
                      type="radio"
                      className="sr-only"
                      name={`option ${i}`}
                      checked={values[i] === value.name}
                      onChange={() => setValues(values.map((x, j) => (i === j ? value.name : x)))}
                    />
                    {value.name}
                  </label>
                ))}
            </div>
          </fieldset>
        ))}
        <p className="mt-4 rounded bg-ink px-4 py-2 text-center font-semibold text-paper">
          {variant && variant.stock - draft.reserve <= 0 ? "Sold out" : "Add to basket"}
        </p>
        <div
          className="prose-plain mt-4"
          // biome-ignore lint/security/noDangerouslySetInnerHtml: the server lets plain elements through alone
          dangerouslySetInnerHTML={{ __html: draft.own.description || draft.description }}
        />
      </div>
    </article>
  );
}

function Price({ variant }: { variant: DraftVariant }) {
  const l = variant.ladder;
  if (!l) return null;
  return (
    <>
      <b>
        <Money of={l.price} />
      </b>
      {l.was && num(l.was) > num(l.price) && (
        <s className="ml-2 text-ink-2">
          <Money of={l.was} />
        </s>
      )}
    </>
  );
}
