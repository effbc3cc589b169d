import { createContext, use, useCallback } from "react";

/** The fields of a view by name, so that keys and other fields can give them the focus. */
export const Fields = createContext(new Map<string, HTMLElement>());

/** useField is the ref of an element that is found by this name; without a name it is not. */
export function useField(name: string | undefined) {
  const fields = use(Fields);
  return useCallback(
    (element: HTMLElement | null) => {
      if (!name || !element) return;
      fields.set(name, element);
      return () => {
        if (fields.get(name) === element) fields.delete(name);
      };
    },
    [fields, name],
  );
}
