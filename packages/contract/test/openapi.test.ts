import { Spectral } from '@stoplight/spectral-core';
import { oas } from '@stoplight/spectral-rulesets';
import { openApiDocument } from '../src/openapi';
import { endpoints } from '../src/endpoints';

const document = openApiDocument('1', 'http://192.0.2.7:8420') as {
  paths: Record<
    string,
    Record<
      string,
      {
        operationId: string;
        tags: string[];
        responses: Record<string, unknown>;
        requestBody?: { content: Record<string, { example?: unknown }> };
      }
    >
  >;
  tags: { name: string; description: string }[];
  components: { responses: Record<string, unknown> };
};
const operations = Object.values(document.paths).flatMap((methods) => Object.values(methods));

it('has nothing that a common linter finds wrong', async () => {
  const linter = new Spectral();
  linter.setRuleset({ extends: [[oas as never, 'recommended']] } as never);
  const found = await linter.run(document as never);
  expect(found.map(({ code, message, path }) => `${String(code)} ${path.join('/')}: ${message}`)).toEqual([]);
}, 60_000);

it('describes every call, boards and files too, each in a group, with examples and all that can go wrong', () => {
  const names = operations.map(({ operationId }) => operationId);
  expect(new Set(names).size).toBe(names.length);
  for (const name of [
    ...Object.keys(endpoints),
    'report',
    'wanted',
    'applied',
    'claim',
    'time',
    'export',
    'image',
    'live',
    'health',
  ])
    expect(names).toContain(name);
  const tags = new Set(document.tags.map(({ name }) => name));
  for (const one of operations) {
    expect([one.operationId, tags.has(one.tags[0]!)]).toEqual([one.operationId, true]);
    for (const [type, { example }] of Object.entries(one.requestBody?.content ?? {}))
      if (!/image|cbor/.test(type))
        expect([one.operationId, example !== undefined]).toEqual([one.operationId, true]);
  }
  for (const { description } of document.tags) expect(description).toBeTruthy();
  const createKind = document.paths['/api/kinds']!.post!;
  expect(Object.keys(createKind.responses)).toEqual(
    expect.arrayContaining(['201', '400', '401', '403', '409', '413', '415', '422', '429', '503']),
  );
  expect(document.components.responses).toHaveProperty('Problem405');
});
