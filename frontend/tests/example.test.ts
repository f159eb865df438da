import { expect, test } from "vitest";
import { freshTitle, ownScript } from "@/keeping/example";

test("a title that is taken gets a number behind", () => {
  expect(freshTitle("New idea", new Set())).toBe("New idea");
  expect(freshTitle("New idea", new Set(["New idea", "New idea 2"]))).toBe("New idea 3");
});

test.each([
  ['title "Swell"\nup = close > open\n', "Page", new Set<string>(), "Swell", 'title "Swell"\nup = close > open\n'],
  ['title "Swell"\nup = close > open\n', "Page", new Set(["Swell"]), "Swell 2", 'title "Swell 2"\nup = close > open\n'],
  ["up = close > open\n", "A $1 page", new Set<string>(), "A $1 page", 'title "A $1 page"\n\nup = close > open\n'],
  ['title "say \\"so\\""\n', "Page", new Set<string>(), 'say "so"', 'title "say \\"so\\""\n'],
])("an example becomes a script of one's own: %s", (example, page, taken, title, text) => {
  expect(ownScript(example, page, taken)).toEqual({ title, text });
});
