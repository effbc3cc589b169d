import type { ButtonHTMLAttributes, ReactNode, Ref } from "react";
import { useRef, useState } from "react";
import { later, useLater } from "./later";
import { useReach } from "./list";
import { enter, useTurn } from "./turns";

type Tone = "main" | "plain" | "quiet" | "danger";

const tones: Record<Tone, string> = {
  main: "bg-beak-fill text-white border-beak-fill hover:brightness-110",
  plain: "bg-surface text-ink border-line-2 hover:bg-sunk",
  quiet: "bg-transparent text-ink border-transparent hover:bg-sunk",
  danger: "bg-surface text-loss border-loss hover:bg-loss-wash",
};

/**
 * Button is the one button; a view has one main action at most. One that is not ready keeps the focus and does
 * nothing.
 */
export function Button({
  tone = "plain",
  className = "",
  ready = true,
  ...rest
}: { tone?: Tone; ready?: boolean } & ButtonHTMLAttributes<HTMLButtonElement>) {
  return (
    <button
      type="button"
      className={`inline-flex min-h-7 items-center gap-1.5 rounded-md border px-3 py-1 font-semibold whitespace-nowrap max-md:whitespace-normal disabled:cursor-not-allowed disabled:opacity-50 aria-disabled:cursor-not-allowed aria-disabled:opacity-50 ${tones[tone]} ${className}`}
      {...rest}
      {...(!ready && { "aria-disabled": true, onClick: undefined })}
    />
  );
}

const modal = later(() => import("./modal"));

/** Dialog confirms or lets choose; never a form of many parts. */
export function Dialog({
  open,
  onClose,
  title,
  children,
  size,
}: {
  open: boolean;
  onClose: () => void;
  title: string;
  children: ReactNode;
  size?: "wide" | "full";
}) {
  // Before anything in it takes the focus: what it was opened from gets the focus back.
  const opener = useRef<Element | null>(null);
  if (!open) opener.current = null;
  else opener.current ??= document.activeElement;
  const from = useRef<Element | null>(null); // still known once it is closed
  if (opener.current) from.current = opener.current;
  const part = useLater(modal, open);
  return (
    part && (
      <part.Modal open={open} onClose={onClose} title={title} size={size} from={from}>
        {children}
      </part.Modal>
    )
  );
}

/** Notice says what is empty or wrong, and what to do next. Alone, it is all that its place shows. */
export function Notice({
  title,
  children,
  error = false,
  alone = false,
}: {
  title: string;
  children?: ReactNode;
  error?: boolean;
  alone?: boolean;
}) {
  const Heading = alone ? "h1" : "h2";
  return (
    <div className="mx-auto max-w-md px-6 py-14 text-center" role={error ? "alert" : undefined}>
      <Heading className={`mb-2 text-xl ${error ? "text-loss" : ""}`}>{title}</Heading>
      <div className="space-y-3 text-ink-2">{children}</div>
    </div>
  );
}

/** Tick is a checkbox with a target large enough. */
export function Tick({
  checked,
  onChange,
  label,
  disabled = false,
  ref,
}: {
  checked: boolean;
  onChange: (now: boolean) => void;
  label: string;
  disabled?: boolean;
  ref?: Ref<HTMLInputElement>;
}) {
  const reach = useReach();
  return (
    <label className="grid size-7 shrink-0 place-items-center">
      <input
        ref={ref}
        type="checkbox"
        tabIndex={reach}
        checked={checked}
        disabled={disabled}
        onChange={(e) => onChange(e.target.checked)}
        aria-label={label}
        className="size-4 accent-(--beak-fill)"
      />
    </label>
  );
}

/** Key shows a key of the keyboard. */
export function Key({ children }: { children: ReactNode }) {
  return (
    <kbd className="rounded border border-line-2 border-b-2 bg-surface px-1.5 font-sans text-xs font-semibold text-ink">
      {children}
    </kbd>
  );
}

/** Picture shows an offer's picture, small; one that cannot be had is said with its reason, not a hole. */
export function Picture({
  path,
  width,
  alt = "",
  className = "",
}: {
  path: string;
  width: 96 | 400 | 800;
  alt?: string;
  className?: string;
}) {
  const [broken, setBroken] = useState({ path: "", why: "" });
  const src = `${path}?w=${width}`;
  const turn = useTurn(path && broken.path !== path ? src : "");
  const said = (words: string, why = "") => (
    <span
      title={why || undefined}
      className={`grid place-items-center overflow-hidden rounded bg-sunk p-0.5 text-center text-xs leading-tight text-ink-2 ${className}`}
    >
      {words}
      {why && width > 96 && <span className="block px-2">{why}</span>}
    </span>
  );
  if (!path) return said("no picture");
  if (broken.path === path) return said("picture broken", broken.why);
  const why = () => {
    turn.failed();
    setBroken({ path, why: "" });
    const done = enter(async () => {
      try {
        const answer = await fetch(path);
        setBroken({ path: answer.ok ? "" : path, why: answer.ok ? "" : (await answer.text()).slice(0, 200) });
      } catch {
        // not reached: it stays broken, without a reason
      }
      done();
    });
  };
  const shape = `block rounded bg-sunk ${className}`;
  if (!turn.may) return alt ? <span role="img" aria-label={alt} className={shape} /> : <span className={shape} />;
  return (
    <img
      key={src}
      ref={turn.image}
      src={src}
      alt={alt}
      onLoad={turn.loaded}
      onError={why}
      className={`${shape} object-cover text-[0.5625rem]`}
    />
  );
}
