// NC text for the editor: what a word is, so that it can be coloured. Only for the eye; the core reads the program.

import { HighlightStyle, StreamLanguage, syntaxHighlighting } from "@codemirror/language";
import { tags } from "@lezer/highlight";

const nc = StreamLanguage.define<null>({
  startState: () => null,
  token(stream) {
    if (stream.eatSpace()) return null;
    if (stream.match(/^\([^)]*\)?/) || stream.match(/^;.*/)) return "comment";
    if (stream.match(/^#\d+|^#<[^>]*>/)) return "variableName";
    if (stream.match(/^(IF|THEN|WHILE|DO|END|GOTO)(?=[\s[#\d]|$)/i) || stream.match(/^O\s*<[^>]*>\s*[A-Z]+|^O\s*\d+\s*(SUB|ENDSUB|CALL|RETURN|IF|ELSEIF|ELSE|ENDIF|WHILE|ENDWHILE|DO|REPEAT|ENDREPEAT|BREAK|CONTINUE)\b/i)) return "variableName";
    if (stream.match(/^(EQ|NE|GT|GE|LT|LE|AND|OR|XOR|MOD|SIN|COS|TAN|ASIN|ACOS|ATAN|SQRT|ABS|ROUND|FIX|FUP|LN|EXP)(?=[\s[#\d-]|$)/i)) return null;
    if (stream.match(/^%/) || stream.match(/^[O:]\s*\d+/i) || stream.match(/^N\s*\d+/i)) return "meta";
    if (stream.match(/^[GM]\s*\d+(\.\d+)?/i)) return "keyword";
    if (stream.match(/^T\s*\d+/i)) return "typeName";
    if (stream.match(/^[FS]\s*[-+.\d]+/i)) return "number";
    if (stream.match(/^[A-Z]\s*[-+]?[\d.]*/i)) return null;
    stream.next();
    return null;
  },
});

const style = HighlightStyle.define([
  { tag: tags.comment, color: "#7d7768", fontStyle: "italic" },
  { tag: tags.meta, color: "#98a0a0" },
  { tag: tags.keyword, color: "#1f5a73", fontWeight: "600" },
  { tag: tags.typeName, color: "#8a4b12", fontWeight: "600" },
  { tag: tags.number, color: "#4d6b3c" },
  { tag: tags.variableName, color: "#7a3d78" },
]);

export const ncLanguage = [nc, syntaxHighlighting(style)];
