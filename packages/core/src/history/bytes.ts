/** Writes bytes into a buffer that grows. Integers as varints, seven bits a byte, the lowest first. */
export class ByteWriter {
  #buffer: Uint8Array;
  #view: DataView;
  #length = 0;

  constructor(size: number) {
    this.#buffer = new Uint8Array(size);
    this.#view = new DataView(this.#buffer.buffer);
  }

  byte(value: number): void {
    this.#room(1);
    this.#buffer[this.#length++] = value;
  }

  varint(value: number): void {
    this.#room(10);
    let rest = value;
    while (rest >= 128) {
      this.#buffer[this.#length++] = (rest % 128) | 128;
      rest = Math.floor(rest / 128);
    }
    this.#buffer[this.#length++] = rest;
  }

  signed(value: number): void {
    this.varint(value < 0 ? -value * 2 - 1 : value * 2);
  }

  double(value: number): void {
    this.#room(8);
    this.#view.setFloat64(this.#length, value, true);
    this.#length += 8;
  }

  bytes(): Uint8Array {
    return this.#buffer.subarray(0, this.#length);
  }

  #room(more: number): void {
    if (this.#length + more <= this.#buffer.length) return;
    const wider = new Uint8Array(Math.max(this.#buffer.length * 2, this.#length + more));
    wider.set(this.#buffer);
    this.#buffer = wider;
    this.#view = new DataView(wider.buffer);
  }
}

/** Reads what ByteWriter wrote; throws RangeError on bytes that are cut short or damaged. */
export class ByteReader {
  #bytes: Uint8Array;
  #view: DataView;
  #position = 0;

  constructor(bytes: Uint8Array) {
    this.#bytes = bytes;
    this.#view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  }

  /** True where everything has been read. */
  get ended(): boolean {
    return this.#position >= this.#bytes.length;
  }

  byte(): number {
    if (this.#position >= this.#bytes.length) throw new RangeError('packed readings are cut short');
    return this.#bytes[this.#position++]!;
  }

  varint(): number {
    let value = 0;
    let factor = 1;
    for (let i = 0; i < 9; i++) {
      const byte = this.byte();
      value += (byte & 127) * factor;
      if (byte < 128) return value;
      factor *= 128;
    }
    throw new RangeError('packed readings are damaged');
  }

  signed(): number {
    const value = this.varint();
    return value % 2 === 0 ? value / 2 : -(value + 1) / 2;
  }

  double(): number {
    if (this.#position + 8 > this.#bytes.length) throw new RangeError('packed readings are cut short');
    const value = this.#view.getFloat64(this.#position, true);
    this.#position += 8;
    return value;
  }
}
