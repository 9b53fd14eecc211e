import { createClient, type CallInput, type Client } from '@peatmoor/contract';

export interface Post {
  id: string;
  token: string;
}

/** Some devices of one new kind that measures a level, with what else is given. */
export async function makePosts(
  client: Client,
  count: number,
  more: NonNullable<CallInput<'createKind'>['body']['streams']> = [],
): Promise<Post[]> {
  const { id: kindId } = await client.call('createKind', {
    body: {
      title: 'Post',
      intervalS: 1,
      streams: [{ key: 'level', title: 'Level', type: 'number' }, ...more],
    },
  });
  const posts: Post[] = [];
  for (let i = 0; i < count; i++) {
    const { device, token } = await client.call('createDevice', { body: { name: `Post ${i}`, kindId } });
    posts.push({ id: device.id, token });
  }
  return posts;
}

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
