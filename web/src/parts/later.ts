import { useEffect, useSyncExternalStore } from "react";

const all: (() => void)[] = [];

/** loadAll loads what is only wanted later, once there is nothing else to load. */
export function loadAll() {
  for (const load of all) load();
}

/** Later is a part of the interface that the first view does without. */
type Later<T> = { part: T | undefined; load: () => void; listen: (tell: () => void) => () => void; wanted: boolean };

/** later is a part that is fetched when it is wanted; by itself, after all else, unless it waits for that. */
export function later<T>(fetched: () => Promise<T>, waits = false): Later<T> {
  const heard = new Set<() => void>();
  let under = false;
  const it: Later<T> = {
    part: undefined,
    wanted: false,
    listen: (tell) => {
      heard.add(tell);
      return () => heard.delete(tell);
    },
    load: () => {
      if (it.part || under) return;
      under = true;
      fetched().then(
        (part) => {
          it.part = part;
          for (const tell of heard) tell();
        },
        () => {
          under = false;
          if (it.wanted) setTimeout(it.load, 1000); // the application is away
        },
      );
    },
  };
  if (!waits) all.push(it.load);
  return it;
}

/** useLater gives a part once it is there, and has it fetched when it is wanted. */
export function useLater<T>(it: Later<T>, wanted: boolean): T | undefined {
  useEffect(() => {
    if (!wanted) return;
    it.wanted = true;
    it.load();
  }, [it, wanted]);
  return useSyncExternalStore(it.listen, () => it.part);
}
