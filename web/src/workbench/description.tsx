import { TableKit } from "@tiptap/extension-table";
import { type Editor, EditorContent, Extension, useEditor, useEditorState } from "@tiptap/react";
import StarterKit from "@tiptap/starter-kit";
import { useEffect, useLayoutEffect, useRef, useState } from "react";
import type { Draft } from "../api/client";
import { Button } from "../parts/controls";
import { Field } from "../parts/field";
import { Opener } from "../parts/opener";
import { type Begin, box, frame, mark, tools, words } from "./description-look";

type Command = { is: string; level?: 2 | 3; run: (editor: Editor) => void };

/** What each of the tools does, in their order. */
const commands: Command[] = [
  { is: "bold", run: (e) => e.chain().focus().toggleBold().run() },
  { is: "italic", run: (e) => e.chain().focus().toggleItalic().run() },
  { is: "heading", level: 2, run: (e) => e.chain().focus().toggleHeading({ level: 2 }).run() },
  { is: "heading", level: 3, run: (e) => e.chain().focus().toggleHeading({ level: 3 }).run() },
  { is: "bulletList", run: (e) => e.chain().focus().toggleBulletList().run() },
  { is: "orderedList", run: (e) => e.chain().focus().toggleOrderedList().run() },
  {
    is: "table",
    run: (e) =>
      e.isActive("table")
        ? e.chain().focus().deleteTable().run()
        : e.chain().focus().insertTable({ rows: 3, cols: 2, withHeaderRow: false }).run(),
  },
];

/** Indent moves an item of a list in and out; Tab leads on to the next field, as everywhere. */
const Indent = Extension.create({
  name: "indent",
  addKeyboardShortcuts: () => ({
    "Mod-]": ({ editor }) => editor.commands.sinkListItem("listItem"),
    "Mod-[": ({ editor }) => editor.commands.liftListItem("listItem"),
  }),
});

/** What can be done where the cursor stands in a table. */
const tableControls: { name: string; run: (editor: Editor) => void }[] = [
  { name: "Add row", run: (e) => e.chain().focus().addRowAfter().run() },
  { name: "Remove row", run: (e) => e.chain().focus().deleteRow().run() },
  { name: "Add column", run: (e) => e.chain().focus().addColumnAfter().run() },
  { name: "Remove column", run: (e) => e.chain().focus().deleteColumn().run() },
];

type Edited = {
  draft: Draft;
  begin: Begin;
  /** Seen is the draft as it was when what is edited was shown. */
  onSave: (html: string, seen: Draft) => void;
  readOnly: boolean;
};

const looks = [
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
  Indent,
];

const attributes = {
  "aria-label": "Description",
  role: "textbox",
  "aria-multiline": "true",
  class: words,
  title: "Ctrl ] and Ctrl [ move an item of a list in and out",
};

/** useDescription is the editor of a description; what is typed is saved when it rests, or when it is left. */
function useDescription({ draft, onSave, readOnly }: Omit<Edited, "begin">) {
  const html = draft.description;
  const saved = useRef(html);
  const seen = useRef(draft);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const save = useRef(onSave);
  save.current = onSave;
  const editor = useEditor({
    extensions: looks,
    content: html,
    editable: !readOnly,
    injectCSS: false,
    editorProps: { attributes, handleDOMEvents: { keydown: (_, event) => event.key === "Tab" } },
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
  return { editor, flush };
}

/** Description edits the words as they will read. */
export default function Description({ begin, ...edited }: Edited) {
  const { readOnly } = edited;
  const [source, setSource] = useState<string>(); // the HTML while it is edited as such
  const { editor, flush } = useDescription(edited);
  const active = useEditorState({
    editor,
    selector: ({ editor: now }) => ({
      table: now?.isActive("table") ?? false,
      link: now?.isActive("link") ?? false,
      pressed: commands.map((c) => now?.isActive(c.is, c.level ? { level: c.level } : {}) ?? false),
    }),
  });
  // What was done before the editor was there.
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, when it is there
  useLayoutEffect(() => {
    if (!editor) return;
    const { point, all, typed, tool, left } = begin;
    const at = point && editor.view.posAtCoords({ left: point.x, top: point.y });
    if (all) editor.commands.selectAll();
    else if (at) editor.commands.setTextSelection(at.pos);
    if (!left) editor.view.focus();
    if (typed) editor.commands.insertContent({ type: "text", text: typed }); // as typed, not read as HTML
    if (tool === "HTML") setSource(editor.getHTML());
    else if (tool) commands[tools.findIndex((t) => t.name === tool)]?.run(editor);
  }, [editor]);
  const leaveSource = (text: string) => {
    setSource(undefined);
    editor?.commands.setContent(text, { emitUpdate: false });
    flush(editor?.getHTML() ?? text);
  };
  return (
    <div className={frame}>
      {!readOnly && (
        <div className={box} role="toolbar" aria-label="Description's looks">
          {source === undefined &&
            editor &&
            commands.map((c, i) => (
              <button
                key={tools[i]?.name}
                type="button"
                aria-label={tools[i]?.name}
                aria-pressed={active?.pressed[i] ?? false}
                onClick={() => c.run(editor)}
                className={mark}
              >
                {tools[i]?.mark}
              </button>
            ))}
          {source === undefined && editor && <LinkButton editor={editor} on={active?.link ?? false} look={mark} />}
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
            className={`${mark} ml-auto text-sm font-normal!`}
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
