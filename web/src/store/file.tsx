import type { MoneyRules, Store } from "../api/client";
import { Button } from "../parts/controls";
import { FileButton } from "../parts/file-button";
import { save as saveFile } from "../parts/save";
import { useSay } from "../parts/toast";

const format = "plain-pelican-money-rules/1";

/** likeIn tells whether a value is of the kind of another: the same sort, and with the parts that all like it have. */
function likeIn(value: unknown, like: unknown[]): boolean {
  const first = like[0];
  if (first === undefined) return true;
  if (Array.isArray(first)) {
    const inner = like.flatMap((l) => l as unknown[]);
    return Array.isArray(value) && value.every((v) => likeIn(v, inner.length > 0 ? inner : [v]));
  }
  if (typeof first !== "object" || first === null) return typeof value === typeof first;
  if (typeof value !== "object" || value === null || Array.isArray(value)) return false;
  const all = like as Record<string, unknown>[];
  return Object.keys(first)
    .filter((key) => all.every((l) => l && typeof l === "object" && key in l))
    .every((key) => likeIn((value as Record<string, unknown>)[key], all.map((l) => l[key]).slice(0, 50)));
}

/** rulesIn reads money rules from a file as it is exported; or says what is wrong with it. */
function rulesIn(text: string, store: Store, now: MoneyRules): MoneyRules | string {
  let file: { format?: string; currency?: string; rules?: MoneyRules };
  try {
    file = JSON.parse(text);
  } catch {
    return "The file is not JSON.";
  }
  if (file?.format !== format || !file.rules) return "The file does not hold money rules as they are exported here.";
  if (file.currency !== store.currency)
    return `Its amounts are in ${file.currency}, and ${store.name} sells in ${store.currency}.`;
  if (!Array.isArray(file.rules.rules) || file.rules.rules.length === 0) return "The file holds no markup rule.";
  return likeIn(file.rules, [now]) ? file.rules : "Something is missing in the file: it cannot be read as money rules.";
}

/** RulesFile writes money rules to a file, and reads one as a change whose effect is seen before it is applied. */
export function RulesFile({
  store,
  edited,
  onChange,
}: {
  store: Store;
  edited: MoneyRules;
  onChange: (rules: MoneyRules) => void;
}) {
  const say = useSay();
  const save = () => {
    const content = JSON.stringify({ format, currency: store.currency, rules: edited }, null, 2);
    saveFile(new Blob([content], { type: "application/json" }), `money-rules-${store.handle}.json`);
  };
  return (
    <p className="mt-4 flex flex-wrap items-center gap-2 border-t border-line pt-3 text-sm text-ink-2">
      Money rules as a file:
      <Button tone="quiet" onClick={save}>
        Export rules
      </Button>
      <FileButton
        label="A file of money rules"
        accept=".json,application/json"
        tone="quiet"
        onFile={async (file) => {
          const read = rulesIn(await file.slice(0, 2_000_000).text(), store, edited);
          if (typeof read === "string") return say(read, true);
          onChange(read);
          say("Read. See the effect before you apply it; Ctrl Z takes it back.");
        }}
      >
        Read rules from a file
      </FileButton>
    </p>
  );
}
