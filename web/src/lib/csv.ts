/** Rows as CSV (RFC 4180), with a header line. A cell that a spreadsheet would run as a formula is made text. */
export function csv(head: string[], rows: string[][]): string {
  return [head, ...rows]
    .map((row) => row.map(cell).join(","))
    .join("\r\n")
    .concat("\r\n");
}

function cell(text: string): string {
  // A plus before digits is a number in E.164, not a formula.
  const safe = /^[=@\t\r]/.test(text) || /^[+-](?![\d\s]*$)/.test(text) ? `'${text}` : text;
  return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}

/** Hands a text to the user as a file. */
export function download(name: string, text: string, type = "text/csv;charset=utf-8"): void {
  const url = URL.createObjectURL(new Blob([text], { type }));
  const link = document.createElement("a");
  link.href = url;
  link.download = name;
  link.click();
  URL.revokeObjectURL(url);
}
