import { createClient, type Client } from '@peatmoor/contract';

/** The first account of a cluster, and a client with a key of it. */
export async function newAccount(url: string): Promise<{ client: Client; key: string }> {
  let cookie = '';
  const session = createClient({
    baseUrl: url,
    fetch: async (input, init) => {
      const answer = await fetch(input, { ...init, headers: { ...init?.headers, cookie, origin: url } });
      cookie = answer.headers.getSetCookie()[0]?.split(';')[0] ?? cookie;
      return answer;
    },
  });
  await session.call('createAccount', {
    body: {
      email: 'warden@quillmere.example',
      password: 'sphagnum and heather',
      name: 'Warden',
      workspace: 'Moss',
    },
  });
  const { secret: key } = await session.call('createKey', { body: { title: 'load', scope: 'everything' } });
  return { client: createClient({ baseUrl: url, headers: { authorization: `Bearer ${key}` } }), key };
}
