// What goes over the air for each value of the device: encode(value) gives its bytes (a Uint8Array), decode(bytes) the
// value. Numbers are in their unit, those of 64 bits and more that have none are BigInt; a structure is an object with a
// member for each field, and null for a field that its flags leave out. What does not fit throws a RangeError.

const fail = (layout, text) => {
  throw new RangeError(`${layout.name}: ${text}`);
};

const isPlain = (layout) => layout.exponent === 0 && layout.multiplier === 1 && layout.halvings === 0;

/** A raw number in its unit. */
const scaled = (layout, raw) => {
  if (isPlain(layout)) return layout.size > 6 ? raw : Number(raw);
  let value = Number(raw) * layout.multiplier;
  if (layout.exponent > 0) value *= 10 ** layout.exponent;
  else if (layout.exponent < 0) value /= 10 ** -layout.exponent;
  return value / 2 ** layout.halvings;
};

/** A number to the nearest whole one; the even one of two, as elsewhere. */
const nearest = (value) => {
  const whole = Math.floor(value);
  const rest = value - whole;
  return rest > 0.5 || (rest === 0.5 && whole % 2 !== 0) ? whole + 1 : whole;
};

const rawOf = (layout, value) => {
  if (typeof value === "bigint") return value;
  if (typeof value !== "number" || !Number.isFinite(value)) fail(layout, "no number");
  if (isPlain(layout)) return BigInt(nearest(value));
  const amount = (value * 2 ** layout.halvings) / layout.multiplier;
  return BigInt(nearest(layout.exponent > 0 ? amount / 10 ** layout.exponent : amount * 10 ** -layout.exponent));
};

const putInteger = (layout, raw, signed, bits = BigInt(layout.bits_of_number), size = layout.size) => {
  const least = signed ? -(1n << (bits - 1n)) : 0n;
  const greatest = signed ? (1n << (bits - 1n)) - 1n : (1n << bits) - 1n;
  if (raw < least || raw > greatest) fail(layout, "out of what its format can hold");
  const bytes = new Uint8Array(size);
  let rest = raw & ((1n << bits) - 1n);
  for (let i = 0; i < size; i++, rest >>= 8n) bytes[layout.most_first ? size - 1 - i : i] = Number(rest & 0xffn);
  return bytes;
};

const getInteger = (layout, bytes, signed, bits = BigInt(layout.bits_of_number)) => {
  let raw = 0n;
  for (let i = 0; i < bytes.length; i++)
    raw = (raw << 8n) | BigInt(bytes[layout.most_first ? i : bytes.length - 1 - i]);
  raw &= (1n << bits) - 1n;
  return signed ? BigInt.asIntN(Number(bits), raw) : raw;
};

// Mantissa and exponent of decimal numbers, and the mantissas that are no numbers.
const medfloats = { 2: [12, 4], 4: [24, 8] };

const getMedfloat = (layout, bytes) => {
  const [width, exponentWidth] = medfloats[layout.size];
  const raw = getInteger(layout, bytes, false);
  const mantissa = Number(raw & ((1n << BigInt(width)) - 1n));
  const first = 2 ** (width - 1) - 2;
  if (mantissa >= first && mantissa <= first + 4) return [Infinity, NaN, NaN, NaN, -Infinity][mantissa - first];
  const exponent = Number(BigInt.asIntN(exponentWidth, raw >> BigInt(width)));
  return Number(`${mantissa >= 2 ** (width - 1) ? mantissa - 2 ** width : mantissa}e${exponent}`);
};

const putMedfloat = (layout, value) => {
  const [width, exponentWidth] = medfloats[layout.size];
  const first = 2 ** (width - 1) - 2;
  const limit = 2 ** (exponentWidth - 1);
  let mantissa = first + 1;
  let exponent = 0;
  if (value === Infinity || value === -Infinity) {
    mantissa = value > 0 ? first : first + 4;
  } else if (typeof value === "number" && value === value) {
    for (exponent = -limit; exponent < limit - 1; exponent++)
      if (Math.abs(nearest(value / 10 ** exponent)) < first) break;
    mantissa = nearest(value / 10 ** exponent);
    if (Math.abs(mantissa) >= first) fail(layout, "out of what its format can hold");
    while (mantissa % 10 === 0 && exponent < 0) {
      mantissa /= 10;
      exponent++;
    }
  }
  const raw = BigInt.asUintN(width, BigInt(mantissa)) | (BigInt.asUintN(exponentWidth, BigInt(exponent)) << BigInt(width));
  return putInteger(layout, raw, false);
};

const getFloat = (layout, bytes) => {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  return layout.size === 4 ? view.getFloat32(0, !layout.most_first) : view.getFloat64(0, !layout.most_first);
};

const putFloat = (layout, value) => {
  const view = new DataView(new ArrayBuffer(layout.size));
  if (layout.size === 4) view.setFloat32(0, value, !layout.most_first);
  else view.setFloat64(0, value, !layout.most_first);
  return new Uint8Array(view.buffer);
};

const getUtf16 = (layout, bytes) => {
  if (bytes.length % 2 !== 0) fail(layout, "half a character");
  return new TextDecoder("utf-16le", { fatal: true, ignoreBOM: true }).decode(bytes);
};

const putUtf16 = (value) => {
  const bytes = new Uint8Array(2 * value.length);
  for (let i = 0; i < value.length; i++) {
    bytes[2 * i] = value.charCodeAt(i) & 0xff;
    bytes[2 * i + 1] = value.charCodeAt(i) >> 8;
  }
  return bytes;
};

const readers = {
  boolean: (layout, bytes) => bytes[0] !== 0,
  unsigned: (layout, bytes) => scaled(layout, getInteger(layout, bytes, false)),
  signed: (layout, bytes) => scaled(layout, getInteger(layout, bytes, true)),
  flags: (layout, bytes) => Number(getInteger(layout, bytes, false)),
  wide: (layout, bytes) => getInteger(layout, bytes, layout.format === "sint128", 128n),
  float: getFloat,
  medfloat: getMedfloat,
  pair: (layout, bytes) => [bytes[0] | (bytes[1] << 8), bytes[2] | (bytes[3] << 8)],
  text: (layout, bytes) => new TextDecoder("utf-8", { fatal: true, ignoreBOM: true }).decode(bytes),
  utf16: getUtf16,
  bytes: (layout, bytes) => bytes.slice(),
};

const putPair = (layout, value) => {
  const halves = value.map((one) => putInteger(layout, BigInt(one), false, 16n, 2));
  return Uint8Array.from([...halves[0], ...halves[1]]);
};

const writers = {
  boolean: (layout, value) => Uint8Array.of(value ? 1 : 0),
  unsigned: (layout, value) => putInteger(layout, rawOf(layout, value), false),
  signed: (layout, value) => putInteger(layout, rawOf(layout, value), true),
  flags: (layout, value) => putInteger(layout, BigInt(value), false),
  wide: (layout, value) => putInteger(layout, BigInt(value), layout.format === "sint128", 128n, 16),
  float: putFloat,
  medfloat: putMedfloat,
  pair: putPair,
  text: (layout, value) => new TextEncoder().encode(value),
  utf16: (layout, value) => putUtf16(value),
  bytes: (layout, value) => Uint8Array.from(value),
};

/** Whether a field is there, by the flags before it. */
const isThere = (layout, values) => {
  const when = layout.when;
  return when === undefined || (Math.floor(values[when.field] / 2 ** when.bit) % 2 === 1) === when.set;
};

class Cursor {
  constructor(bytes) {
    this.bytes = bytes;
    this.at = 0;
  }

  take(layout, length) {
    if (this.at + length > this.bytes.length) fail(layout, "too few bytes");
    this.at += length;
    return this.bytes.subarray(this.at - length, this.at);
  }

  field(layout) {
    const read = readers[layout.kind];
    const left = this.bytes.length - this.at;
    if (layout.up_to > 0) {
      const items = [];
      while (this.at < this.bytes.length && items.length < layout.up_to)
        items.push(read(layout, this.take(layout, layout.size)));
      return items;
    }
    const length = layout.size || (layout.fixed ? layout.length : left);
    if (length > layout.length) fail(layout, "too many bytes");
    return read(layout, this.take(layout, length));
  }
}

const get = (layout, bytes) => {
  const cursor = new Cursor(bytes);
  const values = {};
  const whole = layout.kind === "struct" ? undefined : cursor.field(layout);
  for (const field of layout.fields ?? [])
    values[field.id] = isThere(field, values) ? cursor.field(field) : null;
  if (cursor.at !== bytes.length) fail(layout, "too many bytes");
  return layout.kind === "struct" ? values : whole;
};

const join = (parts) => Uint8Array.from(parts.flatMap((part) => [...part]));

const putField = (layout, value) => {
  if (layout.up_to > 0) {
    if (value.length > layout.up_to) fail(layout, `at most ${layout.up_to} items`);
    return join([...value].map((item) => writers[layout.kind](layout, item)));
  }
  const bytes = writers[layout.kind](layout, value);
  if (bytes.length > layout.length || (layout.fixed && bytes.length !== layout.length))
    fail(layout, `${bytes.length} bytes, not ${layout.length}`);
  return bytes;
};

const put = (layout, value) => {
  if (layout.kind !== "struct") return putField(layout, value);
  const parts = [];
  for (const field of layout.fields) {
    if (!isThere(field, value)) continue;
    if (value[field.id] === null || value[field.id] === undefined)
      fail(field, "missing, and its flags say that it is there");
    parts.push(putField(field, value[field.id]));
  }
  return join(parts);
};

/** Whatever goes wrong in there is a RangeError. */
const guarded = (layout, work) => {
  try {
    return work();
  } catch (problem) {
    throw problem instanceof RangeError ? problem : new RangeError(`${layout.name}: ${problem.message}`);
  }
};

/**
 * One kind of value: what it is called, its UUIDs (null in an advertisement), and how it is sent.
 * @template T
 */
class Coder {
  constructor(name, service, uuid, layout) {
    Object.assign(this, { name, service, uuid });
    Object.defineProperty(this, "layout", { value: layout });
  }

  /** @param {T} value @returns {Uint8Array} */
  encode(value) {
    return guarded(this.layout, () => put(this.layout, value));
  }

  /** @param {Uint8Array} bytes @returns {T} */
  decode(bytes) {
    return guarded(this.layout, () => get(this.layout, Uint8Array.from(bytes)));
  }
}
