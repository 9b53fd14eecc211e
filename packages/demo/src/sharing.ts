import { createClient, type Client } from '@peatmoor/contract';

/** A client that keeps its session, as a browser does. */
function browserAt(baseUrl: string): Client {
  let cookie = '';
  const keeping: typeof fetch = async (input, init) => {
    const response = await fetch(input, {
      ...init,
      headers: {
        origin: baseUrl,
        ...(init?.headers as Record<string, string>),
        ...(cookie !== '' && { cookie }),
      },
    });
    cookie = response.headers.getSetCookie()[0]?.split(';')[0] ?? cookie;
    return response;
  };
  return createClient({ baseUrl, fetch: keeping });
}

/** What others see of Quillmere Moss: a volunteer without an email who steers the sluice, and a page for the village. Made once. */
export async function shareQuillmere(
  baseUrl: string,
  { email, password }: { email: string; password: string },
): Promise<void> {
  const warden = browserAt(baseUrl);
  await warden.call('signIn', { body: { email, password } });
  if ((await warden.call('listGrants')).length === 0) {
    const { link } = await warden.call('addPerson', { body: { name: 'Volunteer', role: 'none' } });
    const { user } = await browserAt(baseUrl).call('join', {
      body: { secret: link.split('#')[1]!, password },
    });
    await warden.call('createGrant', {
      body: { userId: user.id, role: 'operator', sort: 'device', target: 'sluice-mill' },
    });
    const [first] = (await warden.call('listDashboards')).filter(({ title }) => title === 'The moss');
    if (first !== undefined)
      await warden.call('createLink', {
        body: { title: 'For the village', sort: 'dashboard', dashboardId: first.id, backMs: 30 * 86_400_000 },
      });
  }
  await warden.call('signOut');
}
