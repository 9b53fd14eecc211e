/** What is known about a message besides its values. */
export interface MessageFacts {
  /** How it came: "HTTP", "HTTP GET", "MQTT" or "by hand". */
  way: string;
  /** Address it came from. */
  from: string;
  /** Bytes of its body. */
  size: number;
  receivedAt: number;
  /** How it is written: a content type, or where on MQTT it came; with `raw` enough to take it again. */
  form: string;
  /** The message itself; null where it has no body. */
  raw: Uint8Array | null;
}
