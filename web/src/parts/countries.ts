const names = new Intl.DisplayNames(["en"], { type: "region" });

const known = new Map<string, string>([["", "an unknown place"]]); // asking takes long

/** countryName writes an ISO 3166 code as a country. */
export function countryName(code: string): string {
  const said = known.get(code);
  if (said !== undefined) return said;
  let name = code;
  try {
    name = names.of(code) ?? code;
  } catch {} // none of them: as it is
  known.set(code, name);
  return name;
}
