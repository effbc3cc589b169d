import { useMutation } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { upload } from "../api/client";
import { Button } from "../parts/controls";
import { Field } from "../parts/field";
import { useGivenPicture } from "../parts/given";
import { useNavigate } from "../parts/route";
import { useSay } from "../parts/toast";

/** aLink is whether a text is nothing but one. */
export const aLink = (text: string) => /^https?:\/\/\S+$/.test(text.trim());

/** useLookFor leads to the offers of what a link or a picture shows; its handlers take a picture that is dropped. */
export function useLookFor() {
  const go = useNavigate();
  const say = useSay();
  const sending = useMutation({
    mutationFn: (picture: File) => upload(picture),
    onSuccess: ({ file, name }) => go(`/catalog/alternatives?${new URLSearchParams({ file })}`, { state: { name } }),
    onError: (error) => say(error.message, true),
  });
  const { mutate } = sending;
  const byPicture = useCallback((picture: File) => mutate(picture), [mutate]);
  const handlers = useGivenPicture(byPicture);
  return {
    handlers,
    byPicture,
    sending: sending.isPending,
    byLink: (link: string) =>
      go(`/catalog/alternatives?${new URLSearchParams({ link: link.trim() })}`, { state: { asked: true } }),
  };
}

/** LookFor asks what is looked for. */
export function LookFor() {
  const { handlers, byPicture, byLink, sending } = useLookFor();
  const [link, setLink] = useState("");
  return (
    <main className="min-h-0 grow overflow-auto" {...handlers}>
      <form
        className="mx-auto max-w-2xl space-y-4 p-6"
        onSubmit={(e) => {
          e.preventDefault();
          if (link.trim()) byLink(link);
        }}
      >
        <h1 className="text-lg">Find an item by link or picture</h1>
        <Field
          label="A page that shows it"
          hint="Of a connected supplier, or of any shop"
          placeholder="https://"
          value={link}
          onChange={(e) => setLink(e.target.value)}
          autoFocus
        />
        <Button tone="main" type="submit" disabled={!link.trim()}>
          Look for it
        </Button>
        <label className="block cursor-pointer rounded-md border border-dashed border-line-2 p-8 text-center hover:bg-sunk has-focus-visible:outline-2 has-focus-visible:outline-beak">
          <input
            type="file"
            accept="image/*"
            className="sr-only"
            onChange={(e) => {
              const picture = e.target.files?.[0];
              if (picture) byPicture(picture);
              e.target.value = "";
            }}
          />
          <b>{sending ? "Looking…" : "Drop a picture here, paste one, or choose a file"}</b>
          <span className="block text-sm text-ink-2">
            It may be cropped or recoloured. The first pictures of offers are compared.
          </span>
        </label>
      </form>
    </main>
  );
}
