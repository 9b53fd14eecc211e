import type { Transaction } from 'sequelize';
import { afterCommit, ambientTransaction, within } from '../src/store/ambient';

const turn = (ms = 0): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
const named = (name: string): Transaction => ({ name }) as unknown as Transaction;
const nameNow = (): string | undefined => (ambientTransaction() as { name?: string } | undefined)?.name;

describe('work whose queries all belong to one transaction', () => {
  it('is found by whatever it calls, and by nothing beside it', async () => {
    const seen: (string | undefined)[] = [];
    const one = within(
      (work) => work(named('one')),
      async () => {
        await turn();
        seen.push(nameNow());
        await Promise.all([turn().then(() => seen.push(nameNow()))]);
        return 'done';
      },
    );
    expect(nameNow()).toBeUndefined();
    expect(await one).toBe('done');
    expect(seen).toEqual(['one', 'one']);
    expect(nameNow()).toBeUndefined();
  });

  it('leaves alone what was begun in it and goes on after it: a timer, a chain, something put off', async () => {
    const seen: (string | undefined)[] = [];
    const late: string[] = [];
    let chain: Promise<unknown> = Promise.resolve();
    await within(
      (work) => work(named('one')),
      async () => {
        setTimeout(() => seen.push(nameNow()), 20);
        chain = turn(20).then(async () => {
          seen.push(nameNow());
          // There is nothing to wait for any more: it is done at once.
          await afterCommit(() => Promise.resolve(late.push('at once')));
          late.push('then');
        });
        await turn();
      },
    );
    await turn(30);
    await chain;
    expect(seen).toEqual([undefined, undefined]);
    expect(late).toEqual(['at once', 'then']);
  });

  it('ends for those who still wait for it where it failed', async () => {
    let seen: string | undefined = 'not looked';
    let later: Promise<void> = Promise.resolve();
    const failed = within(
      (work) => work(named('one')),
      async () => {
        later = turn(10).then(() => void (seen = nameNow()));
        await turn();
        throw new Error('no');
      },
    );
    await expect(failed).rejects.toThrow('no');
    await later;
    expect(seen).toBeUndefined();
  });

  it('does what is put off once, after the commit, outside of it, and of the try that was committed alone', async () => {
    const done: string[] = [];
    let tries = 0;
    // The database chose the first try as the one of a deadlock that is undone.
    await within(
      async (work) => {
        await work(named('first')).catch(() => undefined);
        const result = await work(named('second'));
        done.push('committed');
        return result;
      },
      async () => {
        const me = ++tries;
        await afterCommit(async () => {
          await turn();
          done.push(`try ${me} in ${nameNow() ?? 'none'}`);
        });
        done.push(`work ${me}`);
        if (me === 1) throw new Error('deadlock');
      },
    );
    expect(done).toEqual(['work 1', 'work 2', 'committed', 'try 2 in none']);
  });

  it('puts nothing off that is asked for outside of it', async () => {
    const done: string[] = [];
    await afterCommit(() => Promise.resolve(done.push('now')));
    expect(done).toEqual(['now']);
  });
});
