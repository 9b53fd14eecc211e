import { UniqueConstraintError } from 'sequelize';

/** What is kept of a secret. The fingerprint is its first letters: it is found by them, and no two have the same. */
export interface KeptSecret {
  fingerprint: string;
  secretHash: Buffer;
}

/** Among ten million secrets a new one in a hundred begins as another does. */
const MOST_TRIES = 20;

/** Makes a secret and keeps it; another one where its fingerprint is taken already. */
export async function keepNew<S extends KeptSecret, R>(
  make: () => S,
  keep: (made: S) => Promise<R>,
): Promise<{ made: S; row: R }> {
  for (let tries = 1; ; tries++) {
    const made = make();
    try {
      return { made, row: await keep(made) };
    } catch (error) {
      const isTaken = error instanceof UniqueConstraintError && /fingerprint/.test(error.parent.message);
      if (!isTaken || tries === MOST_TRIES) throw error;
    }
  }
}
