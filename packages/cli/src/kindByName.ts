import type { Client, Kind } from '@peatmoor/contract';
import { UsageError } from './settings';

/** A kind by title (any case) or number. */
export async function kindByName(client: Client, name: string): Promise<Kind> {
  const kinds = await client.call('listKinds');
  const kind = kinds.find(
    ({ id, title }) => String(id) === name || title.toLowerCase() === name.toLowerCase(),
  );
  if (kind === undefined)
    throw new UsageError(
      `There is no kind "${name}". There are: ${kinds.map(({ title }) => title).join(', ') || 'none yet'}.`,
    );
  return kind;
}
