const MEANT: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };

/** A text as it stands in HTML. */
export const escapeText = (text: string): string => text.replace(/[&<>"]/g, (one) => MEANT[one]!);
