import { describe, expect, it } from "vitest";
import { decodePacked } from "./packed";

/** Pack as the server does: head length, head, padding, arrays padded to eight bytes. */
function pack(head: object, ...arrays: Uint8Array[]): ArrayBuffer {
  const text = new TextEncoder().encode(JSON.stringify(head));
  const lead = Math.ceil((text.length + 4) / 8) * 8;
  const sizes = arrays.map((array) => Math.ceil(array.length / 8) * 8);
  const out = new Uint8Array(lead + sizes.reduce((a, b) => a + b, 0));
  new DataView(out.buffer).setUint32(0, text.length, true);
  out.set(text, 4);
  let offset = lead;
  arrays.forEach((array, i) => {
    out.set(array, offset);
    offset += sizes[i] ?? 0;
  });
  return out.buffer;
}

describe("decodePacked", () => {
  it("gives back head and arrays in order, whatever their padding", () => {
    const ints = new Int32Array([1, -2, 3]);
    const floats = new Float64Array([0.5, Infinity]);
    const buffer = pack(
      { mode: "walk", arrays: [{ dtype: "<i4", length: 3 }, { dtype: "<f8", length: 2 }] },
      new Uint8Array(ints.buffer),
      new Uint8Array(floats.buffer),
    );
    const { head, arrays } = decodePacked(buffer);
    expect(head.mode).toBe("walk");
    expect(Array.from(arrays[0] ?? [])).toEqual([1, -2, 3]);
    expect(Array.from(arrays[1] ?? [])).toEqual([0.5, Infinity]);
  });

  it("refuses an array type it does not know", () => {
    expect(() => decodePacked(pack({ arrays: [{ dtype: "<c16", length: 0 }] }))).toThrow("<c16");
  });
});
