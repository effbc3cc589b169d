import { useDeferredValue, useEffect, useLayoutEffect, useRef, useState } from "react";

let lastKey = Number.NEGATIVE_INFINITY; // performance.now() of the last key
if (typeof document !== "undefined")
  document.addEventListener(
    "keydown",
    () => {
      lastKey = performance.now();
    },
    { capture: true, passive: true },
  );

const slow = 90; // ms: a drawing that takes longer is felt by who presses the next key meanwhile
const rest = 400; // ms without a key: who types slowly or steps from row to row goes on within that

/** atRest does something once no key was pressed for a while; what it gives calls that off. */
export function atRest(run: () => void): () => void {
  let timer = 0;
  const look = () => {
    const left = lastKey + rest - performance.now();
    if (left > 0) timer = window.setTimeout(look, left);
    else run();
  };
  look();
  return () => clearTimeout(timer);
}

/** useHeld is a value, or for as long as it is held, what it was before. */
export function useHeld<V>(value: V, held: boolean): V {
  const [last, setLast] = useState(value);
  if (!held && last !== value) setLast(value);
  return held ? last : value;
}

/**
 * useRested is a value from which much is drawn. It is drawn between keys; where that takes long, on a slow machine, it
 * is drawn once the keys rest, so that each key is answered at once.
 */
export function useRested<V>(value: V): V {
  const cost = useRef(0); // ms that drawings took of late to lay out and paint
  const [waits, setWaits] = useState(false); // whether the next is drawn once the keys rest
  const shown = useDeferredValue(useHeld(value, waits));
  const late = waits && shown !== value;
  useEffect(() => (late ? atRest(() => setWaits(false)) : undefined), [late]);
  useLayoutEffect(() => {
    if (shown === undefined) return; // what is drawn around it is no measure
    const began = performance.now();
    const { port1, port2 } = new MessageChannel();
    port1.onmessage = () => {
      port1.close();
      cost.current = (cost.current + performance.now() - began) / 2;
      setWaits(cost.current > slow);
    };
    // What is sent in a frame is heard after its paint.
    const frame = requestAnimationFrame(() => port2.postMessage(0));
    return () => cancelAnimationFrame(frame);
  }, [shown]);
  return shown;
}
