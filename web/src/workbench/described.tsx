import { type KeyboardEvent, useRef, useState } from "react";
import type { Draft } from "../api/client";
import { later, useLater } from "../parts/later";
import { type Begin, box, frame, mark, tools, words } from "./description-look";

/** The editor is large: it is fetched once somebody works in a draft, and made once the description is come to. */
const editing = later(() => import("./description"), true);
export const fetchEditor = editing.load;

/** Described shows a description, which becomes an editor when it is come to. What is typed meanwhile is not lost. */
export function Described(rest: { draft: Draft; onSave: (html: string, seen: Draft) => void; readOnly: boolean }) {
  const { draft, readOnly } = rest;
  const [begun, setBegun] = useState(false);
  const begin = useRef<Begin>({});
  const part = useLater(editing, begun);
  if (begun && part) return <part.default begin={begin.current} {...rest} />;
  const start = (more: Begin) => {
    begin.current = { ...begin.current, left: false, ...more };
    setBegun(true);
  };
  const onKey = (e: KeyboardEvent) => {
    const { key, ctrlKey, metaKey, altKey } = e;
    if (key === "Tab" || key === "Escape" || /^F\d/.test(key)) return;
    e.stopPropagation(); // it is a field: single letters are no commands here
    if (key.length === 1 && !ctrlKey && !metaKey && !altKey) {
      e.preventDefault();
      start({ typed: (begin.current.typed ?? "") + key });
    } else if (key.toLowerCase() === "a" && (ctrlKey || metaKey)) {
      e.preventDefault();
      start({ all: true });
    }
  };
  return (
    <div className={frame}>
      {!readOnly && (
        <div className={box} role="toolbar" aria-label="Description's looks">
          {tools.map(({ name, mark: on }) => (
            <button key={name} type="button" aria-label={name} onClick={() => start({ tool: name })} className={mark}>
              {on}
            </button>
          ))}
          <button type="button" onClick={() => start({})} className={`${mark} text-sm`}>
            Link
          </button>
          <button
            type="button"
            onClick={() => start({ tool: "HTML" })}
            className={`${mark} ml-auto text-sm font-normal!`}
          >
            HTML
          </button>
        </div>
      )}
      <div
        role="textbox"
        aria-multiline="true"
        aria-label="Description"
        aria-readonly={readOnly}
        tabIndex={0}
        className={words}
        onFocus={() => !readOnly && start({})}
        onBlur={() => {
          begin.current.left = true;
        }}
        onMouseDown={(e) => {
          if (readOnly) return;
          e.preventDefault(); // the editor takes the focus once it is there, this until then
          e.currentTarget.focus();
          start({ point: { x: e.clientX, y: e.clientY } });
        }}
        onKeyDown={readOnly ? undefined : onKey}
        // biome-ignore lint/security/noDangerouslySetInnerHtml: the server leaves plain elements only
        dangerouslySetInnerHTML={{ __html: draft.description }}
      />
    </div>
  );
}
