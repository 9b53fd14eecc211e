export const DEVICE_ID_PATTERN = /^[a-z][a-z0-9-]{0,38}[a-z0-9]$/;

/** Proposes a device ID from a name, free of those already taken: "Dipwell North" gives `dipwell-north`. */
export function proposeDeviceId(name: string, taken: ReadonlySet<string> = new Set()): string {
  const plain = name
    .normalize('NFKD')
    .replace(/[\u0300-\u036f]/g, '')
    .toLowerCase();
  let base = plain
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[-0-9]+|-+$/g, '')
    .slice(0, 34)
    .replace(/-+$/, '');
  if (base.length < 2) base = `device${base && `-${base}`}`;
  if (!taken.has(base)) return base;
  for (let number = 2; ; number++) if (!taken.has(`${base}-${number}`)) return `${base}-${number}`;
}
