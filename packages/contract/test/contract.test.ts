import http from 'node:http';
import type { AddressInfo } from 'node:net';
import { ACTIONS } from '@peatmoor/core';
import {
  ApiError,
  createClient,
  endpoints,
  exportPath,
  fieldProblems,
  imagePath,
  newDeviceSchema,
  newKeySchema,
  newRuleSchema,
  openApiDocument,
  roleIncludes,
  ROLES,
  streamSchema,
} from '@peatmoor/contract';
import { ValidationError } from 'yup';

/** A server that answers each request as it is told, and remembers what it was asked. */
async function answering(answer: (request: http.IncomingMessage) => [number, string, string?]) {
  const asked: { method: string; url: string; body: string; headers: http.IncomingHttpHeaders }[] = [];
  const server = http.createServer((request, response) => {
    let body = '';
    request.on('data', (part: Buffer) => (body += part.toString()));
    request.on('end', () => {
      asked.push({ method: request.method!, url: request.url!, body, headers: request.headers });
      const [status, text, type = 'application/json'] = answer(request);
      response.writeHead(status, { 'content-type': type }).end(status === 204 ? undefined : text);
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  return { url, asked, stop: () => server.close() };
}

describe('the client', () => {
  it('fills paths and queries safely, sends JSON, and gives what comes back', async () => {
    const { url, asked, stop } = await answering(() => [200, '{"lines":[]}']);
    const client = createClient({ baseUrl: url, headers: { authorization: 'Bearer x' } });
    await client.call('history', { params: { device: 'a/b ?' }, query: { streams: 'x,y', from: 1, to: 2 } });
    await client.call('createKey', { body: { title: 'one' } });
    expect(asked[0]).toMatchObject({
      method: 'GET',
      url: '/api/devices/a%2Fb%20%3F/history?streams=x%2Cy&from=1&to=2',
      body: '',
    });
    expect(asked[0]!.headers['content-type']).toBeUndefined();
    expect(asked[1]).toMatchObject({ method: 'POST', body: '{"title":"one"}' });
    expect(asked[1]!.headers.authorization).toBe('Bearer x');
    await expect(client.call('readDevice')).rejects.toThrow(TypeError);
    stop();
  });

  it('gives nothing where nothing is answered', async () => {
    const { url, stop } = await answering(() => [204, '']);
    expect(await createClient({ baseUrl: url }).call('signOut')).toBeUndefined();
    stop();
  });

  it('throws what the service says, with field, reason and remedy', async () => {
    const problem = {
      type: 'about:blank',
      title: 'Not accepted',
      status: 422,
      detail: 'id is used.',
      errors: [{ field: 'id', reason: 'is used', remedy: 'Choose another.' }],
    };
    const { url, stop } = await answering(() => [422, JSON.stringify(problem), 'application/problem+json']);
    const error = await createClient({ baseUrl: url })
      .call('listKinds')
      .catch((one: unknown) => one as ApiError);
    expect(error).toBeInstanceOf(ApiError);
    expect((error as ApiError).problem).toEqual(problem);
    expect((error as ApiError).message).toBe('id is used. Choose another.');
    stop();
  });

  it('says so where something else answered, or nobody', async () => {
    const { url, stop } = await answering(() => [502, '<html>proxy</html>', 'text/html']);
    const client = createClient({ baseUrl: url });
    await expect(client.call('listKinds')).rejects.toMatchObject({ problem: { status: 502 } });
    stop();
    await expect(createClient({ baseUrl: 'http://127.0.0.1:9' }).call('listKinds')).rejects.toMatchObject({
      problem: { status: 0, detail: expect.stringContaining('Is it running') },
    });
  });
});

describe('the schemas', () => {
  const problemsOf = (schema: { validateSync(value: unknown, options: object): unknown }, value: unknown) => {
    try {
      schema.validateSync(value, { abortEarly: false });
      return [];
    } catch (error) {
      return fieldProblems(error as ValidationError).map(({ field, reason, remedy }) => {
        expect(reason).not.toMatch(/^this /);
        expect(remedy).toMatch(/\.$/);
        return field;
      });
    }
  };
  const stream = { key: 'level', title: 'Level', type: 'number' };

  it.each([
    [{}, []],
    [{ key: 'Level' }, ['key']],
    [{ key: 'at' }, ['key']],
    [{ title: '' }, ['title']],
    [{ type: 'float' }, ['type']],
    [{ unit: 'a furlong' }, ['unit']],
    [{ min: 5, max: 5 }, ['max']],
    [{ decimals: 7 }, ['decimals']],
    [{ pin: 1000 }, ['pin']],
    [{ pin: -1 }, ['pin']],
    [{ direction: 'sideways' }, ['direction']],
    [{ type: 'image', direction: 'control' }, ['direction']],
    [{ type: 'choice' }, ['choices']],
    [{ type: 'choice', choices: ['a', 'A'] }, ['choices']],
    [{ type: 'choice', choices: ['a', 'b'] }, []],
    [{ colour: 'red' }, ['colour']],
    [{ colour: '#2b5f6e' }, []],
    [{ keepDays: -1 }, ['keepDays']],
    [{ description: 'x'.repeat(501) }, ['description']],
    [{ boardPin: 'x'.repeat(41) }, ['boardPin']],
  ])('of a datastream with %j find fault with %j', (change, fields) => {
    expect([...new Set(problemsOf(streamSchema, { ...stream, ...change }))]).toEqual(fields);
  });

  it('of a device want one kind, of a key one device, of a rule one whom', () => {
    expect(problemsOf(newDeviceSchema, { name: 'A', kindId: 1 })).toEqual([]);
    expect(problemsOf(newDeviceSchema, { name: 'A' })).toEqual(['']);
    expect(problemsOf(newDeviceSchema, { name: 'A', kindId: 1, newKind: { title: 'B' } })).toEqual(['']);
    expect(problemsOf(newDeviceSchema, { name: 'A', kindId: 1, id: 'Not one' })).toEqual(['id']);
    expect(problemsOf(newKeySchema, { title: 'A', scope: 'report-device' })).toEqual(['deviceId']);
    expect(problemsOf(newKeySchema, { title: 'A', scope: 'report-device', deviceId: 'b' })).toEqual([]);
    const rule = { title: 'A', deviceId: 'b', stream: 'c', comparison: 'above' };
    expect(problemsOf(newRuleSchema, { ...rule, limit: 1 })).toEqual([]);
    // What a condition must be set to its sort says, in core.
    expect(problemsOf(newRuleSchema, { ...rule, withinMs: 3 })).toEqual(['withinMs']);
    expect(problemsOf(newRuleSchema, { ...rule, limit: 1, label: 'moss' })).toEqual(['']);
    expect(problemsOf(newRuleSchema, { ...rule, comparison: 'raised' })).toEqual([]);
    expect(problemsOf(newRuleSchema, { ...rule, limit: 1, kindId: 3 })).toEqual(['']);
    expect(problemsOf(newRuleSchema, { ...rule, limit: 1, emails: ['nobody'] })).toEqual(['emails[0]']);
  });
});

describe('the API', () => {
  it('has a path and a name of its own for every call, and each says who may make it', () => {
    const lines = Object.values(endpoints).map(({ method, path }) => `${method} ${path}`);
    expect(new Set(lines).size).toBe(lines.length);
    for (const { path, access, summary } of Object.values(endpoints)) {
      expect(path).toMatch(/^\/api\/[a-z]/);
      expect([...Object.keys(ACTIONS), 'open']).toContain(access);
      expect(summary).toMatch(/^[A-Z]/);
    }
  });

  it('changes nothing for a viewer or a stranger', () => {
    const open = Object.entries(endpoints).filter(
      ([, { method, access }]) => method !== 'GET' && ['open', 'look', 'self'].includes(access),
    );
    expect(open.map(([name]) => name).sort()).toEqual(
      [
        // With a secret of their own, or changing nothing.
        'askReset',
        'commentAlertLink',
        'confirmEmail',
        'createAccount',
        'join',
        'machineFactorOff',
        'machineReset',
        'openShared',
        'readJoin',
        'reset',
        'signIn',
        'signOut',
        'tryRule',
        'useAlertLink',
        'whoseToken',
      ].sort(),
    );
  });

  it('describes every call in OpenAPI, with its path parameters', () => {
    const { paths, openapi } = openApiDocument('1') as {
      openapi: string;
      paths: Record<string, Record<string, { parameters?: { in: string; name: string }[] }>>;
    };
    expect(openapi).toBe('3.1.0');
    for (const { method, path } of Object.values(endpoints)) {
      const call = paths[path.replace(/:(\w+)/g, '{$1}')]![method.toLowerCase()]!;
      const wanted = [...path.matchAll(/:(\w+)/g)].map(([, name]) => name);
      const given = (call.parameters ?? []).filter((one) => one.in === 'path').map(({ name }) => name);
      expect([path, given]).toEqual([path, wanted]);
    }
  });

  it('orders roles, and makes addresses that need no care', () => {
    expect(ROLES.map((role) => roleIncludes('operator', role))).toEqual([true, true, true, false, false]);
    expect(imagePath('a b', 'c/d', 5)).toBe('/api/devices/a%20b/images/c%2Fd?at=5');
    expect(exportPath('a', { format: 'sheet', zone: 'Europe/Dublin', days: 3 })).toBe(
      '/api/devices/a/export?format=sheet&zone=Europe%2FDublin&days=3',
    );
  });
});
