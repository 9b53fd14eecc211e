import { nodeState } from '../src/watch/node';

it('says of a service on a database whether it is there, going, or silent', () => {
  const node = { alive: true, draining: false, silentMs: 1200 };
  expect(nodeState(node)).toBe('there');
  expect(nodeState({ ...node, draining: true })).toBe('going');
  expect(nodeState({ ...node, clockMs: -180_400, draining: true })).toBe('going, its clock 3 min behind');
  expect(nodeState({ ...node, clockMs: 900 })).toBe('there');
  // Who gives no sign of life is silent, whatever it said before.
  expect(nodeState({ alive: false, draining: true, silentMs: 63_400 })).toBe('silent for 1 min 3 s');
});
