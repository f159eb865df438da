/** What each place showed when it was left: this tab's, and for a new tab the Workbench's last setup in this browser. */

export type Place = "/" | "/report" | "/trials" | "/logbook" | "/markets" | "/shelf" | "/practice" | "/guide";
type Search = Record<string, unknown>;

const keyOf = (place: Place) => `skelb-place ${place}`;

function parsed(text: string | null): Search {
  try {
    const found: unknown = JSON.parse(text ?? "{}");
    return found !== null && typeof found === "object" ? (found as Search) : {};
  } catch {
    return {};
  }
}

/** Remember what a place shows. */
export function rememberPlace(place: Place, search: Search): void {
  const text = JSON.stringify(search);
  sessionStorage.setItem(keyOf(place), text);
  if (place === "/") localStorage.setItem(keyOf(place), text);
}

/** What a place showed last. */
export function placeAsLeft(place: Place): Search {
  return parsed(sessionStorage.getItem(keyOf(place)) ?? (place === "/" ? localStorage.getItem(keyOf(place)) : null));
}
