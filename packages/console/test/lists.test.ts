import { QueryClient } from '@tanstack/react-query';
import { putInList } from '../src/live/lists';

// What comes live while a list is just being read is in the list afterwards, whatever the answer was made before.
const KEY = ['listCommands', { params: { device: 'dipwell-north' } }];
const ORDER = (a: Item, b: Item): number => b.id - a.id;
interface Item {
  id: number;
  state: string;
}
let client: QueryClient;
beforeEach(() => {
  client = new QueryClient();
});
afterEach(() => client.clear());

const put = (items: Item[], most?: number): void =>
  putInList(client, { queryKey: KEY, order: ORDER, ...(most !== undefined && { most }) }, items);
const listed = () => client.getQueryData<Item[]>(KEY)?.map(({ id, state }) => `${id} ${state}`);
/** Begins to read the list; what is returned gives the answer. */
function read(): (answer: Item[]) => Promise<void> {
  let give: (answer: Item[]) => void;
  const answer = new Promise<Item[]>((resolve) => (give = resolve));
  const done = client.fetchQuery({ queryKey: KEY, queryFn: () => answer });
  return async (items) => {
    give(items);
    await done;
    await new Promise((resolve) => setTimeout(resolve, 250));
  };
}
const sent = { id: 1, state: 'sent' };

it('is in a list that was read, once, the newest first', () => {
  client.setQueryData(KEY, [sent]);
  put([{ id: 2, state: 'waiting' }]);
  put([{ id: 1, state: 'applied' }]);
  expect(listed()).toEqual(['2 waiting', '1 applied']);
});

it('is not lost when the list is read for the first time meanwhile, nor when it is read again', async () => {
  for (let i = 0; i < 2; i++) {
    const answer = read();
    put([{ id: 2, state: 'waiting' }]);
    await answer([sent]);
    expect(listed()).toEqual(['2 waiting', '1 sent']);
  }
});

it('keeps the newest of what came while it was read, and no more than asked for', async () => {
  const answer = read();
  put([{ id: 2, state: 'sent' }], 2);
  put(
    [
      { id: 2, state: 'confirmed' },
      { id: 3, state: 'waiting' },
    ],
    2,
  );
  await answer([sent]);
  expect(listed()).toEqual(['3 waiting', '2 confirmed']);
});

it('makes no list that nobody reads', () => {
  put([sent]);
  expect(client.getQueryData(KEY)).toBeUndefined();
});
