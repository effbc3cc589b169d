import { useCallback, useEffect, useRef, useState } from "react";

/**
 * Pictures are loaded a few at a time. A browser has six connections to a server: while a supplier's
 * server is slow to hand out pictures, answers to what is typed need some of them.
 */
const most = 3;
/** Milliseconds for which one must stay in sight: what only passes by while one types or scrolls is not loaded. */
const passing = 100;
/** Milliseconds without a key after which typing rests. */
export const rest = 300;
const loading = new Set<symbol>();
const waiting = new Map<symbol, () => void>();

/** enter calls start when it is one's turn, and returns what ends the turn, or the waiting for it. */
export function enter(start: () => void): () => void {
  const who = Symbol();
  waiting.set(who, start);
  next();
  return () => {
    waiting.delete(who);
    loading.delete(who);
    next();
  };
}

let restsAt = 0;
let later = 0;

/** typing has pictures wait until it rests: until then answers need the browser. */
export function typing() {
  restsAt = performance.now() + rest;
}

function next() {
  const wait = restsAt - performance.now();
  clearTimeout(later);
  if (wait > 0) {
    later = window.setTimeout(next, wait);
    return;
  }
  for (const [who, start] of waiting) {
    if (loading.size >= most) return;
    waiting.delete(who);
    loading.add(who);
    start();
  }
}

/** Those that were loaded once come from the browser's own store, and need no turn. */
const had = new Set<string>();

/** useTurn says whether a picture may be loaded, and takes that it was, or that it failed. */
export function useTurn(src: string) {
  const [turn, setTurn] = useState("");
  const leave = useRef(() => {});
  useEffect(() => {
    if (!src || had.has(src)) return;
    const settled = setTimeout(() => {
      leave.current = enter(() => setTurn(src));
    }, passing);
    return () => {
      clearTimeout(settled);
      leave.current();
    };
  }, [src]);
  // One that is not shown any more would go on loading.
  const image = useCallback(
    (shown: HTMLImageElement) => () => {
      if (!had.has(src)) shown.removeAttribute("src");
    },
    [src],
  );
  return {
    image,
    may: turn === src || had.has(src),
    loaded: () => {
      had.add(src);
      leave.current();
    },
    failed: () => leave.current(),
  };
}
