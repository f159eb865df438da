import { HighlightStyle, StreamLanguage, syntaxHighlighting } from "@codemirror/language";
import { tags } from "@lezer/highlight";

const STATEMENTS =
  "title note input define carry use draw level shade mark tint alert enter exit stop target trail breakeven window months dates flat limit pause opposite size zone".split(
    " ",
  );
const WORDS = new Set(
  "where starting and or not then unless later than all total yes no unknown in is if else on off forming from to step one of crosses meets above below when only color named as long short at after bars days risk equity units cash max pips ticks points R session week end reverse ignore market once plus take lots with version entries losses loss per day".split(
    " ",
  ),
);

/** Words, numbers and texts by sight, at the speed of typing; what they mean comes from the language server. */
export const language = StreamLanguage.define<{ lineStart: boolean }>({
  name: "skelb",
  startState: () => ({ lineStart: true }),
  token(stream, state) {
    if (stream.sol()) state.lineStart = true;
    if (stream.eatSpace()) return null;
    const atStart = state.lineStart;
    state.lineStart = false;
    if (stream.match(/^#.*/)) return "comment";
    if (stream.match(/^"(?:\\"|[^"])*"?/)) return "string";
    if (
      stream.match(/^\d{4}-\d{2}-\d{2}/) ||
      stream.match(/^\d{1,2}:\d{2}/) ||
      stream.match(/^\d+[mhdw]\b/) ||
      stream.match(/^\d+(\.\d+)?%?/)
    )
      return "number";
    const word = stream.match(/^[A-Za-z_][A-Za-z0-9_]*/);
    if (word && word !== true) {
      const name = word[0];
      const defines = stream.match(/^\s*=(?!=)/, false);
      if (atStart && STATEMENTS.includes(name) && !defines) return "keyword";
      if (WORDS.has(name) && !defines) return "keyword";
      return stream.match(/^\s*\(/, false) ? "function" : "variableName";
    }
    stream.next();
    return null;
  },
  tokenTable: { function: tags.function(tags.variableName) },
  languageData: { commentTokens: { line: "#" } },
});

const colors = HighlightStyle.define([
  { tag: tags.keyword, color: "var(--long)" },
  { tag: tags.string, color: "var(--brass)" },
  { tag: tags.number, color: "var(--loss)" },
  { tag: tags.comment, color: "var(--soft)", fontStyle: "italic" },
  { tag: tags.function(tags.variableName), fontWeight: "600" },
]);

/** How scripts look, in the editor and in differences. */
export const scriptLook = [language, syntaxHighlighting(colors)];
