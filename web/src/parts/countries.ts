const names = new Intl.DisplayNames(["en"], { type: "region" });

/** countryName writes an ISO 3166 code as a country. */
export function countryName(code: string): string {
  if (code === "") return "an unknown place";
  try {
    return names.of(code) ?? code;
  } catch {
    return code;
  }
}
