import { save } from "../parts/save";

/** saveSlips saves the packing slips of orders as one PDF; its error says why there are none. */
export async function saveSlips(path: string, name: string): Promise<void> {
  let answer: Response;
  try {
    answer = await fetch(path);
  } catch {
    throw new Error("The application does not answer. Check that it is running, and try again.");
  }
  if (!answer.ok) throw new Error((await answer.json().catch(() => undefined))?.detail ?? "The slips were not made.");
  save(await answer.blob(), name);
}
