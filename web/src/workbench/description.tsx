import { TableKit } from "@tiptap/extension-table";
import { type Editor, EditorContent, useEditor, useEditorState } from "@tiptap/react";
import StarterKit from "@tiptap/starter-kit";
import { useEffect, useRef, useState } from "react";
import type { Draft } from "../api/client";
import { Button } from "../parts/controls";
import { Field } from "../parts/field";
import { Opener } from "../parts/opener";

type Command = { name: string; mark: string; is: string; level?: 2 | 3; run: (editor: Editor) => void };

const controls: Command[] = [
  { name: "Bold", mark: "B", is: "bold", run: (e) => e.chain().focus().toggleBold().run() },
  { name: "Italic", mark: "I", is: "italic", run: (e) => e.chain().focus().toggleItalic().run() },
  {
    name: "Heading",
    mark: "H",
    is: "heading",
    level: 2,
    run: (e) => e.chain().focus().toggleHeading({ level: 2 }).run(),
  },
  {
    name: "Small heading",
    mark: "h",
    is: "heading",
    level: 3,
    run: (e) => e.chain().focus().toggleHeading({ level: 3 }).run(),
  },
  { name: "List", mark: "•", is: "bulletList", run: (e) => e.chain().focus().toggleBulletList().run() },
  { name: "1. Numbered list", mark: "1.", is: "orderedList", run: (e) => e.chain().focus().toggleOrderedList().run() },
  {
    name: "Table",
    mark: "▦",
    is: "table",
    run: (e) =>
      e.isActive("table")
        ? e.chain().focus().deleteTable().run()
        : e.chain().focus().insertTable({ rows: 3, cols: 2, withHeaderRow: false }).run(),
  },
];

/** What can be done where the cursor stands in a table. */
const tableControls: { name: string; run: (editor: Editor) => void }[] = [
  { name: "Add row", run: (e) => e.chain().focus().addRowAfter().run() },
  { name: "Remove row", run: (e) => e.chain().focus().deleteRow().run() },
  { name: "Add column", run: (e) => e.chain().focus().addColumnAfter().run() },
  { name: "Remove column", run: (e) => e.chain().focus().deleteColumn().run() },
];

/** Description edits the words as they will read; it saves when the typing rests or the field is left. */
export default function Description({
  draft,
  onSave,
  readOnly,
}: {
  draft: Draft;
  /** Seen is the draft as it was when what is edited was shown. */
  onSave: (html: string, seen: Draft) => void;
  readOnly: boolean;
}) {
  const html = draft.description;
  const [source, setSource] = useState<string>(); // the HTML while it is edited as such
  const saved = useRef(html);
  const seen = useRef(draft);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const save = useRef(onSave);
  save.current = onSave;
  const editor = useEditor({
    extensions: [
      StarterKit.configure({
        link: { openOnClick: false, autolink: false, linkOnPaste: false, protocols: ["http", "https", "mailto"] },
        code: false,
        codeBlock: false,
        blockquote: false,
        horizontalRule: false,
        strike: false,
        underline: false,
        heading: { levels: [2, 3, 4] },
      }),
      TableKit.configure({ table: { resizable: false } }),
    ],
    content: html,
    editable: !readOnly,
    injectCSS: false,
    editorProps: {
      attributes: {
        "aria-label": "Description",
        role: "textbox",
        "aria-multiline": "true",
        class: "prose-plain min-h-36 max-h-56 overflow-auto px-3 py-2 whitespace-pre-wrap break-words",
      },
    },
    onUpdate: ({ editor: now }) => {
      clearTimeout(timer.current);
      timer.current = setTimeout(() => flush(now.getHTML()), 900);
    },
    onBlur: ({ editor: now }) => timer.current && flush(now.getHTML()),
  });
  const flush = (next: string) => {
    clearTimeout(timer.current);
    timer.current = undefined;
    if (next === saved.current) return;
    saved.current = next;
    save.current(next, seen.current);
  };
  const active = useEditorState({
    editor,
    selector: ({ editor: now }) => ({
      table: now?.isActive("table") ?? false,
      link: now?.isActive("link") ?? false,
      pressed: controls.map((c) => now?.isActive(c.is, c.level ? { level: c.level } : {}) ?? false),
    }),
  });
  useEffect(() => {
    // Taken back, or changed elsewhere: show what is stored, unless it is being typed in.
    if (html === saved.current) seen.current = draft;
    else if (editor && !editor.isFocused) {
      saved.current = html;
      seen.current = draft;
      editor.commands.setContent(html, { emitUpdate: false });
    }
  }, [html, draft, editor]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is still to be saved is saved when the draft is left
  useEffect(() => () => void (timer.current && editor && flush(editor.getHTML())), [editor]);
  const leaveSource = (text: string) => {
    setSource(undefined);
    editor?.commands.setContent(text, { emitUpdate: false });
    flush(editor?.getHTML() ?? text);
  };
  const plainButton = "min-h-7 min-w-7 rounded px-1.5 font-bold hover:bg-sunk aria-pressed:bg-beak-wash";
  return (
    <div className="rounded-md border border-line-2 focus-within:border-focus">
      {!readOnly && (
        <div
          className="flex flex-wrap gap-0.5 border-b border-line px-1 py-0.5"
          role="toolbar"
          aria-label="Description's looks"
        >
          {source === undefined &&
            editor &&
            controls.map((c, i) => (
              <button
                key={c.name}
                type="button"
                aria-label={c.name}
                aria-pressed={active?.pressed[i] ?? false}
                onClick={() => c.run(editor)}
                className={plainButton}
              >
                {c.mark}
              </button>
            ))}
          {source === undefined && editor && (
            <LinkButton editor={editor} on={active?.link ?? false} look={plainButton} />
          )}
          {source === undefined &&
            editor &&
            active?.table &&
            tableControls.map((c) => (
              <button
                key={c.name}
                type="button"
                onClick={() => c.run(editor)}
                className="min-h-7 rounded px-1.5 text-sm hover:bg-sunk"
              >
                {c.name}
              </button>
            ))}
          <button
            type="button"
            aria-pressed={source !== undefined}
            onClick={() => (source === undefined ? setSource(editor?.getHTML() ?? "") : leaveSource(source))}
            className={`${plainButton} ml-auto text-sm font-normal!`}
          >
            HTML
          </button>
        </div>
      )}
      {source === undefined ? (
        <EditorContent editor={editor} />
      ) : (
        <textarea
          value={source}
          aria-label="Description as HTML"
          spellCheck={false}
          onChange={(e) => setSource(e.target.value)}
          onBlur={(e) => {
            // To another place than the button, which does it itself.
            if (!(e.relatedTarget instanceof HTMLButtonElement && e.relatedTarget.textContent === "HTML"))
              leaveSource(source);
          }}
          className="block h-56 w-full resize-y bg-transparent px-3 py-2 font-mono text-sm"
        />
      )}
    </div>
  );
}

/** LinkButton links the words that are selected, or takes their link away. */
function LinkButton({ editor, on, look }: { editor: Editor; on: boolean; look: string }) {
  const [address, setAddress] = useState("");
  const [open, setOpen] = useState(false);
  const usable = /^(?:https?:\/\/|mailto:)\S+$/i.test(address.trim());
  return (
    <Opener
      words="Link"
      label="Link"
      className={`${look} text-sm ${on ? "bg-beak-wash" : ""}`}
      panelLabel="Link"
      panelClass="w-72 p-3"
      open={open}
      onOpen={(now) => {
        if (now) setAddress(String(editor.getAttributes("link").href ?? ""));
        setOpen(now);
      }}
    >
      {(close) => (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            if (!usable) return; // said beneath it
            editor.chain().focus().extendMarkRange("link").setLink({ href: address.trim() }).run();
            close();
          }}
        >
          <Field
            label="Address"
            value={address}
            placeholder="https://"
            error={address.trim() && !usable ? "An address begins with https:// or mailto:" : undefined}
            onChange={(e) => setAddress(e.target.value)}
          />
          <p className="mt-2 flex justify-end gap-2">
            {on && (
              <Button
                tone="quiet"
                onClick={() => {
                  editor.chain().focus().extendMarkRange("link").unsetLink().run();
                  close();
                }}
              >
                Remove link
              </Button>
            )}
            <Button type="submit" disabled={!usable}>
              Set link
            </Button>
          </p>
        </form>
      )}
    </Opener>
  );
}
