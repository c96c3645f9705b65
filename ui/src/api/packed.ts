/** Decode a JSON head followed by raw arrays, each padded to eight bytes. */
export type NumberArray = Float64Array | Float32Array | Int32Array | Uint32Array | Uint8Array;
export type Packed = { head: Record<string, unknown>; arrays: NumberArray[] };

const TYPES: Record<string, new (buffer: ArrayBuffer, offset: number, length: number) => NumberArray> = {
  "<f8": Float64Array,
  "<f4": Float32Array,
  "<i4": Int32Array,
  "<u4": Uint32Array,
  "|u1": Uint8Array,
};
const padded = (size: number) => Math.ceil(size / 8) * 8;

export function decodePacked(buffer: ArrayBuffer): Packed {
  const size = new DataView(buffer).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, size))) as {
    arrays: { dtype: string; length: number }[];
  };
  let offset = padded(size + 4);
  const arrays = head.arrays.map(({ dtype, length }) => {
    const Type = TYPES[dtype];
    if (!Type) throw new Error(`unknown array type ${dtype}`);
    const array = new Type(buffer, offset, length);
    offset += padded(array.byteLength);
    return array;
  });
  return { head, arrays };
}
