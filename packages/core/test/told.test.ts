import { leftWithoutAnybody, tellsSomebody, type NamedToTell } from '../src';

const rule = (some: Partial<NamedToTell>): NamedToTell => ({
  people: [],
  roles: [],
  emails: [],
  webhooks: [],
  ...some,
});
const there = {
  people: [
    { userId: 1, role: 'owner' },
    { userId: 2, role: 'viewer' },
    { userId: null, role: 'editor' },
  ],
  webhooks: [7],
};

it('a rule tells somebody only where somebody whom it names is there', () => {
  expect(tellsSomebody(rule({}), there)).toBe(false);
  expect(tellsSomebody(rule({ people: [2] }), there)).toBe(true);
  expect(tellsSomebody(rule({ people: [3] }), there)).toBe(false);
  expect(tellsSomebody(rule({ roles: ['owner'] }), there)).toBe(true);
  // A link that nobody has used is nobody.
  expect(tellsSomebody(rule({ roles: ['editor'] }), there)).toBe(false);
  expect(tellsSomebody(rule({ webhooks: [7] }), there)).toBe(true);
  expect(tellsSomebody(rule({ webhooks: [8] }), there)).toBe(false);
  expect(tellsSomebody(rule({ emails: ['a@b.example'] }), there)).toBe(true);
});

it('names the rules that somebody leaves without anybody, and no others', () => {
  const alone = rule({ people: [2] });
  const both = rule({ people: [2], roles: ['owner'] });
  const ofRole = rule({ roles: ['viewer'] });
  const nobody = rule({});
  const after = { ...there, people: there.people.filter(({ userId }) => userId !== 2) };
  expect(leftWithoutAnybody([alone, both, ofRole, nobody], there, after)).toEqual([alone, ofRole]);
});
