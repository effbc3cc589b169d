import { useId, useState } from "react";
import { Button } from "../parts/controls";
import type { Looked } from "./words";

type Question = Looked["questions"][number];

/**
 * Questions are what a list leaves open: no cost, currency or stock is taken for granted. Each stays, to be answered
 * otherwise.
 */
export function Questions({
  questions,
  busy,
  onAnswer,
}: {
  questions: Question[];
  busy: boolean;
  onAnswer: (key: string, answer: string) => void;
}) {
  if (questions.length === 0) return null;
  const open = questions.filter((q) => q.answer === "").length;
  return (
    <section aria-label="Questions about this list" aria-busy={busy} className="mb-5">
      <h2 className="mb-2 text-lg">
        Questions about this list{" "}
        <span className="text-sm font-normal text-ink-2" role="status">
          {open === 0 ? "all answered" : open === 1 ? "1 is open" : `${open} are open`}
        </span>
      </h2>
      {questions.map((q) => (
        <OneQuestion key={q.key} question={q} onAnswer={(answer) => onAnswer(q.key, answer)} />
      ))}
    </section>
  );
}

function OneQuestion({ question, onAnswer }: { question: Question; onAnswer: (answer: string) => void }) {
  const id = useId();
  const own = question.answer !== "" && !question.choices.some((c) => c.value === question.answer);
  const [typed, setTyped] = useState(own ? question.answer : "");
  const valid = /^[1-9]\d{0,5}$/.test(typed.trim());
  return (
    <fieldset
      className={`mb-3 rounded-md border p-2.5 ${question.answer === "" ? "border-beak bg-beak-wash" : "border-line"}`}
    >
      <legend className="px-1 font-semibold">{question.text}</legend>
      <p id={id} className="mb-1.5 text-sm text-ink-2">
        {question.detail}
      </p>
      {question.choices.map((choice) => (
        <label key={choice.value} className="flex min-h-7 items-start gap-2 py-0.5">
          <input
            type="radio"
            name={`question ${question.key}`}
            checked={choice.value === question.answer}
            aria-describedby={id}
            onChange={() => onAnswer(choice.value)}
            className="mt-1 size-4 shrink-0 accent-(--beak-fill)"
          />
          <span className="min-w-0">
            <span className="block break-words">{choice.label}</span>
            {choice.detail && <span className="block truncate text-sm text-ink-2">{choice.detail}</span>}
          </span>
        </label>
      ))}
      {question.number && (
        <form
          className="mt-1 flex items-center gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            if (valid) onAnswer(typed.trim());
          }}
        >
          <input
            aria-label={`${question.text} Another number`}
            inputMode="numeric"
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
            placeholder={question.choices.length > 0 ? "another number" : "a number"}
            className="w-32 rounded border border-line-2 bg-surface px-2 py-1"
          />
          <Button type="submit" disabled={!valid}>
            Set number
          </Button>
        </form>
      )}
    </fieldset>
  );
}
