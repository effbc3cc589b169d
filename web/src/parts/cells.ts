/** What the cells of a table that is read line by line look like. */
export const cell = "px-2 py-1.5 align-top";
export const number = `${cell} text-right whitespace-nowrap`;
