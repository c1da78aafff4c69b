/** Handing a file to the person at the screen. */
export function hand(blob: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

/** Columns of numbers as a CSV file. */
export function handTable(name: string, heads: string[], columns: (number | string | null)[][]): void {
  const rows = columns[0]!.map((_, k) => columns.map((c) => c[k] ?? "").join(","));
  hand(new Blob([`${[heads.join(","), ...rows].join("\r\n")}\r\n`], { type: "text/csv" }), `${name}.csv`);
}

export const fileName = (text: string) =>
  text
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "") || "picture";
