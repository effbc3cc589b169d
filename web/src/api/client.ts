import createClient from "openapi-fetch";
import { gone } from "./connection";
import type { components, paths } from "./schema.generated";

export type Schemas = components["schemas"];
export type Amount = Schemas["ApikitAmountDoc"];
export type Offer = Schemas["SearchLine"];
export type OfferSheet = Schemas["SearchSheet"];
export type Ladder = Schemas["PricingLadder"];
export type Step = Schemas["MarkupTraceLine"];
export type MoneyRules = Schemas["PricingMoneyRules"];
export type InForce = Schemas["PricingCurrentRules"];
export type Effect = Schemas["PricingEffect"];
export type DraftLine = Schemas["WorkbenchLine"];
export type Draft = Schemas["WorkbenchDraft"];
export type DraftVariant = Schemas["WorkbenchVariant"];
export type Report = Schemas["ReadinessReport"];
export type Store = Schemas["StoresStore"];
export type Source = Schemas["SourcesSource"];
export type Rule = Schemas["MarkupRule"];
export type Run = Schemas["PublishingRun"];

export const api = createClient<paths>({ baseUrl: "/" });

/** Problem is an error for a person: what happened, and the field at fault. */
export class Problem extends Error {
  constructor(
    message: string,
    readonly status: number,
    readonly field: string,
    /** What stands at the field now, where that is told. */
    readonly value?: unknown,
  ) {
    super(message);
  }
}

const noAnswer = "The application does not answer. It is asked again every few seconds.";

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** ask unwraps an answer, turning an RFC 9457 problem into a Problem. */
export async function ask<T>(call: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await call;
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error; // given up by us: nobody is away
    gone(noAnswer);
    throw new Problem(noAnswer, 0, "");
  }
  if (answer.response.ok) return answer.data as T;
  const problem = (answer.error ?? {}) as Schemas["ErrorModel"];
  if ([502, 503, 504].includes(answer.response.status)) gone(problem.detail ?? noAnswer);
  const at = problem.errors?.[0];
  const field = (at?.location ?? "").replace(/^(body|query|path)\./, "");
  throw new Problem(plain(problem, at), answer.response.status, field, at?.value);
}

/** Our own sentences say it all; those of the schema check need the field's name. */
function plain(problem: Schemas["ErrorModel"], at: Schemas["ErrorDetail"] | undefined): string {
  if (problem.detail === "validation failed" && at)
    return `${(at.location ?? "").replace(/^body\./, "")}: ${at.message}`;
  return problem.detail ?? "Something went wrong on our side.";
}

/** sendFile posts a file as it is, and reads what came of it. */
export async function sendFile<T>(path: string, file: File): Promise<T> {
  let answer: Response;
  try {
    answer = await fetch(path, { method: "POST", body: file });
  } catch {
    throw new Problem("The application does not answer. The file was not read.", 0, "");
  }
  const body: unknown = await answer.json().catch(() => ({}));
  if (!answer.ok)
    throw new Problem((body as { detail?: string }).detail ?? "The file could not be read.", answer.status, "");
  return body as T;
}

/** upload leaves a file with the application, which gives it a name for what is done with it next. */
export const upload = (file: File) =>
  sendFile<Schemas["SourcesUploadedFile"]>(`/api/files?name=${encodeURIComponent(file.name)}`, file);
