import fs from 'node:fs';
import path from 'node:path';
import { ACTIONS } from '@peatmoor/core';
import { endpointGroups, endpoints, type Endpoint } from '@peatmoor/contract';
import { TAGS } from '../src/openapi/others';

const FILE = path.resolve(__dirname, '../../../docs/calls.md');
const CALLS = path.resolve(__dirname, '../src/calls.ts');

/** The fields of a query or body by name, those that must be there in bold. */
function fieldsOf(schema: Endpoint['body']): string {
  const described = schema?.describe() as
    { fields?: Record<string, { optional?: boolean; nullable?: boolean; default?: unknown }> } | undefined;
  return Object.entries(described?.fields ?? {})
    .map(([name, { optional, default: usual }]) =>
      optional === false && usual === undefined ? `**${name}**` : name,
    )
    .join(', ');
}

function reference(): string {
  const groups = Object.entries(endpointGroups).map(([group, calls]) => {
    const rows = (Object.values(calls) as Endpoint[]).map(
      ({ method, path: place, summary, access, query, body }) =>
        `| \`${method} ${place}\` | ${summary.replaceAll('|', '\\|')} | ${
          access === 'open' ? 'anybody' : `who may ${ACTIONS[access].words}`
        } | ${[fieldsOf(query), fieldsOf(body)].filter(Boolean).join('; ') || '–'} |`,
    );
    return [
      `## ${TAGS[group] ?? group}`,
      '',
      '| call | what it does | who may | query and body |',
      '|---|---|---|---|',
      ...rows,
    ].join('\n');
  });
  return `# Calls of the API

Made from the program (\`npm run reference\`): every call, what it does, who may call it, and the names in its query and body; those in
bold must be there. The whole of it, with types, bounds and an example each, is at \`/api/openapi.json\` of your service. How calls behave
is told in [The API's manners](api.md); what boards call is in the [wire reference](wire.md).

${groups.join('\n\n')}
`;
}

it('the list of calls is what the program has (npm run reference makes it anew)', () => {
  const made = reference();
  if (process.env.MAKE_REFERENCE !== undefined) fs.writeFileSync(FILE, made);
  expect(fs.readFileSync(FILE, 'utf8')).toBe(made);
});

/** The calls without their schemas. */
function plainCalls(): string {
  const rows = Object.entries(endpoints as unknown as Record<string, Endpoint>).map(
    ([name, { method, path: place, access, pages = '' }]) =>
      `  ${name}: ['${method}', '${place}', '${access}', '${pages}'],`,
  );
  return `import type { Endpoint, EndpointName } from './endpoints';

/** Of a call its method, its path, who may call it, and whether its list is read on to the end. */
export type PlainCall = readonly [Endpoint['method'], string, Endpoint['access'], 'all' | 'newest' | ''];

/**
 * The calls as whoever sends them needs them: without schemas, which are much to fetch for a page that checks nothing itself.
 * Made from the endpoints (\`npm run reference\`).
 */
export const calls: Record<EndpointName, PlainCall> = {
${rows.join('\n')}
};
`;
}

it('the plain list of calls is that of the endpoints (npm run reference makes it anew)', () => {
  const made = plainCalls();
  if (process.env.MAKE_REFERENCE !== undefined) fs.writeFileSync(CALLS, made);
  expect(fs.readFileSync(CALLS, 'utf8')).toBe(made);
});
