type Json = Record<string, unknown>;

/** Believable texts, by the name of the field. */
const TEXTS: Record<string, string> = {
  email: 'warden@quillmere.example',
  name: 'Dipwell North',
  title: 'Dipwell',
  key: 'water_level',
  stream: 'water_level',
  device: 'dipwell-north',
  deviceId: 'dipwell-north',
  password: 'wet moss, quiet sky',
  zone: 'Europe/London',
  unit: 'mm',
  id: 'dipwell-north',
};

const OTHERS = [
  'https://moss.example/hook',
  '#2b5f6e',
  '12:30',
  '2026-05-01',
  '1',
  'key_moss',
  'a'.repeat(64),
];

/** An example that fits a JSON schema: what is required, and what has a value that is usual. */
export function exampleOf(schema: unknown, name = ''): unknown {
  const one = schema as Json & {
    type?: string | string[];
    properties?: Record<string, Json>;
    required?: string[];
  };
  if ('default' in one && one.default !== undefined && fitsType(one)) return one.default;
  if (Array.isArray(one.enum) && one.enum.length > 0) return (one.enum as unknown[])[0];
  const type = Array.isArray(one.type) ? one.type[0] : one.type;
  switch (type) {
    case 'object':
      return Object.fromEntries(
        Object.entries(one.properties ?? {})
          .filter(([field]) => one.required?.includes(field))
          .map(([field, inner]) => [field, exampleOf(inner, field)]),
      );
    case 'array':
      return Number(one.minItems ?? 0) > 0 || one.items !== undefined
        ? Array.from({ length: Math.max(1, Number(one.minItems ?? 1)) }, () =>
            exampleOf(one.items ?? {}, name),
          )
        : [];
    case 'number':
    case 'integer':
      if (/At$|^at$|^from$/.test(name)) return 1_777_636_800_000;
      if (name === 'to') return 1_777_723_200_000;
      return (one.minimum as number | undefined) ?? (/^id$|Id$/.test(name) ? 1 : 0);
    case 'boolean':
      return false;
    case 'string': {
      const fits = (text: string): boolean =>
        text.length >= Number(one.minLength ?? 0) &&
        text.length <= Number(one.maxLength ?? Infinity) &&
        (typeof one.pattern !== 'string' || new RegExp(one.pattern).test(text));
      const texts = [TEXTS[name], 'moss', ...Object.values(TEXTS), ...OTHERS].filter(
        (text) => text !== undefined,
      );
      return texts.find(fits) ?? 'x'.repeat(Number(one.minLength ?? 1));
    }
    default:
      return null;
  }
}

/** True where the usual value is one that the type has. */
function fitsType(one: Json & { type?: string | string[] }): boolean {
  if (one.type === undefined || one.default !== null) return true;
  return Array.isArray(one.type) && one.type.includes('null');
}
