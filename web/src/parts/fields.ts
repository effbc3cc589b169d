import { createContext, use, useCallback } from "react";

/** FieldMap are the fields of a view by name, so that keys and other fields can give them the focus. */
export class FieldMap extends Map<string, HTMLElement> {
  /** The field that is given the focus once it is there. */
  wanted = "";

  override set(name: string, element: HTMLElement) {
    super.set(name, element);
    if (this.wanted === name) this.come(name);
    return this;
  }

  /** Draws what is not there yet, where more is still to come. */
  complete = () => {};

  /** come gives a field the focus, at once or when it is there. */
  come(name: string) {
    if (!this.has(name)) this.complete();
    const element = this.get(name);
    this.wanted = element ? "" : name;
    element?.focus();
  }
}

export const Fields = createContext(new FieldMap());

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
