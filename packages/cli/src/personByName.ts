import type { Client, Person } from '@peatmoor/contract';
import { UsageError } from './settings';

/** A person of the workspace, or who was asked to join, by number, name, email or sign-in name (any case). */
export async function personByName(client: Client, name: string): Promise<Person> {
  const people = await client.call('listPeople');
  const exact = people.find(({ id }) => id === name);
  if (exact !== undefined) return exact;
  const found = people.filter((one) =>
    [one.name, one.email, one.signInName].some((text) => text?.toLowerCase() === name.toLowerCase()),
  );
  if (found.length === 1) return found[0]!;
  throw new UsageError(
    found.length > 1
      ? `Several are called "${name}". Say which: ${found.map(({ id, email, signInName }) => `${id} (${email ?? signInName ?? 'not joined yet'})`).join(', ')}.`
      : `"${name}" is nobody of the workspace; there are ${people.map((one) => one.name).join(', ')}.`,
  );
}
