import { describe, expect, it } from "vitest";
import { pdfOf } from "./export";

describe("a sheet as PDF", () => {
  it("says truly where each of its objects begins", async () => {
    const picture = new Uint8Array([0xff, 0xd8, 1, 2, 3, 0xff, 0xd9]);
    const bytes = new Uint8Array(await pdfOf(picture, 300, 150).arrayBuffer());
    const text = String.fromCharCode(...bytes);
    const table = Number(/startxref\n(\d+)/.exec(text)![1]);
    expect(text.slice(table, table + 4)).toBe("xref");
    const places = [...text.slice(table).matchAll(/^(\d{10}) 00000 n/gm)].map((m) => Number(m[1]));
    expect(places.length).toBe(5);
    for (const [k, at] of places.entries()) expect(text.slice(at, at + 7)).toBe(`${k + 1} 0 obj`);
    expect(text).toContain("/MediaBox [0 0 75.00 37.50]");
    const at = text.indexOf("stream\n", text.indexOf("/DCTDecode")) + 7;
    expect([...bytes.slice(at, at + 7)]).toEqual([...picture]);
  });
});
