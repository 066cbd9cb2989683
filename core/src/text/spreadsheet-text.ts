/** What a spreadsheet takes for a formula when it opens separated text (OWASP, CSV Injection): a cell that begins so, or a mark of ours before it. */
const LIKE_FORMULA = /^'*[=+\-@\t\r]/;

/** A text as a cell of separated text that no spreadsheet runs. */
export function escapeFormula(text: string): string {
  return LIKE_FORMULA.test(text) ? `'${text}` : text;
}

/** The text of such a cell, the same as it was. */
export function unescapeFormula(cell: string): string {
  return cell.startsWith("'") && LIKE_FORMULA.test(cell.slice(1)) ? cell.slice(1) : cell;
}
