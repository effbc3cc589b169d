import { EditorContent, useEditor, useEditorState } from "@tiptap/react";
import StarterKit from "@tiptap/starter-kit";
import { useEffect, useRef } from "react";
import type { Draft } from "../api/client";

/** tidyTables turns a supplier's table into a list, which stores and telephones show better. */
function tidyTables(html: string): string {
  const page = new DOMParser().parseFromString(html, "text/html");
  for (const table of page.querySelectorAll("table")) {
    const list = page.createElement("ul");
    for (const row of table.querySelectorAll("tr")) {
      const item = page.createElement("li");
      item.textContent = [...row.querySelectorAll("td,th")].map((cell) => cell.textContent?.trim()).join(": ");
      list.append(item);
    }
    table.replaceWith(list);
  }
  for (const part of page.querySelectorAll("p,li,div")) if (part.textContent?.trim() === "") part.remove();
  return page.body.innerHTML;
}

const controls = [
  { name: "Bold", mark: "B", is: "bold", run: "toggleBold" },
  { name: "Italic", mark: "I", is: "italic", run: "toggleItalic" },
  { name: "List", mark: "•", is: "bulletList", run: "toggleBulletList" },
  { name: "Heading", mark: "H", is: "heading", run: "toggleHeading" },
] as const;

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
  const saved = useRef(html);
  const seen = useRef(draft);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const save = useRef(onSave);
  save.current = onSave;
  const editor = useEditor({
    extensions: [
      StarterKit.configure({
        link: false,
        code: false,
        codeBlock: false,
        blockquote: false,
        horizontalRule: false,
        strike: false,
        underline: false,
        heading: { levels: [3] },
      }),
    ],
    content: tidyTables(html),
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
    selector: ({ editor: now }) => Object.fromEntries(controls.map((c) => [c.is, now?.isActive(c.is) ?? false])),
  });
  useEffect(() => {
    // Taken back, or changed elsewhere: show what is stored, unless it is being typed in.
    if (html === saved.current) seen.current = draft;
    else if (editor && !editor.isFocused) {
      saved.current = html;
      seen.current = draft;
      editor.commands.setContent(tidyTables(html), { emitUpdate: false });
    }
  }, [html, draft, editor]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is still to be saved is saved when the draft is left
  useEffect(() => () => void (timer.current && editor && flush(editor.getHTML())), [editor]);
  return (
    <div className="rounded-md border border-line-2 focus-within:border-focus">
      {!readOnly && (
        <div className="flex gap-0.5 border-b border-line px-1 py-0.5" role="toolbar" aria-label="Description's looks">
          {controls.map((c) => (
            <button
              key={c.name}
              type="button"
              aria-label={c.name}
              aria-pressed={active?.[c.is] ?? false}
              onClick={() => {
                const chain = editor?.chain().focus();
                if (c.run === "toggleHeading") chain?.toggleHeading({ level: 3 }).run();
                else chain?.[c.run]().run();
              }}
              className="size-7 rounded font-bold hover:bg-sunk aria-pressed:bg-beak-wash"
            >
              {c.mark}
            </button>
          ))}
        </div>
      )}
      <EditorContent editor={editor} />
    </div>
  );
}
