import { ApiError } from '@peatmoor/contract';

/** What the service said of one field, for the field that it is about. */
export interface FieldTrouble {
  error?: boolean;
  helperText?: string;
}

/**
 * Gives what an answer says of each field, to be spread into it: `{...troubleOf(error)('title')}`. A field inside another is
 * found by its whole name (`streams[0].key`).
 */
export function troubleOf(error: Error | null): (field: string) => FieldTrouble {
  const fields = error instanceof ApiError ? (error.problem.errors ?? []) : [];
  return (field) => {
    const found = fields.find((one) => one.field === field || one.field === `body.${field}`);
    return found === undefined ? {} : { error: true, helperText: sentence(found.reason, found.remedy) };
  };
}

/** The fields that an answer speaks of. */
export function fieldsIn(error: Error | null | undefined): string[] {
  return error instanceof ApiError ? (error.problem.errors ?? []).map(({ field }) => field) : [];
}

/** What an answer says of one field; undefined where it says nothing of it. */
export function problemAt(
  error: Error | null | undefined,
  name: string,
): { reason: string; remedy: string } | undefined {
  return error instanceof ApiError ? error.problem.errors?.find(({ field }) => field === name) : undefined;
}

/** "is too short", "type a name" → "Is too short. Type a name." */
export function sentence(reason: string, remedy: string): string {
  const words = reason.replace(/^[:,]\s*/, '').replace(/\.$/, '');
  const first = words.charAt(0).toUpperCase() + words.slice(1);
  return remedy === '' ? `${first}.` : `${first}. ${remedy}`;
}
