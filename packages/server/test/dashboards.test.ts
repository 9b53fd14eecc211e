import { ApiError, type Dashboard } from '@peatmoor/contract';
import {
  newDevice,
  newPerson,
  startService,
  type Person,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let person: Person;
let kindId: number;

beforeAll(async () => {
  service = await startService();
  person = await newPerson(service);
  ({ kindId } = (await newDevice(person.client)).device);
});
afterAll(() => service.stop());

const make = (body: object = {}): Promise<Dashboard> =>
  person.client.call('createDashboard', { body: { title: 'The moss', ...body } });
const change = ({ id, version, title, widgets }: Dashboard, more: object = {}): Promise<Dashboard> =>
  person.client.call('changeDashboard', {
    params: { dashboard: id },
    body: { version, title, widgets, ...more },
  });
const refused = (call: Promise<unknown>): Promise<string | null> =>
  call.then(
    () => null,
    (error: ApiError) => error.problem.errors?.[0]?.field ?? error.message,
  );
const text = (more: object = {}) => ({
  id: 'w1',
  type: 'text',
  title: '',
  sources: [],
  options: {},
  x: 0,
  y: 0,
  w: 4,
  h: 3,
  ...more,
});

it('is plain until somebody says how it looks; what a change leaves out stays', async () => {
  const made = await make();
  expect(made).toMatchObject({ icon: '', colour: 'ink', labels: [], forLabel: null, pages: [] });
  const looked = await change(made, {
    icon: 'drop',
    colour: 'moss',
    labels: ['Wall', 'wall', ' north '],
    pages: ['Water', ''],
  });
  expect(looked).toMatchObject({
    icon: 'drop',
    colour: 'moss',
    labels: ['wall', 'north'],
    pages: ['Water', ''],
  });
  expect(await change(looked)).toMatchObject({ icon: 'drop', pages: ['Water', ''] });
  const read = await person.client.call('readDashboard', { params: { dashboard: made.id } });
  expect(read).toMatchObject({ labels: ['wall', 'north'], version: 3 });
});

it.each<[string, object, string]>([
  ['a colour that is none', { colour: 'red' }, 'colour'],
  ['a drawing that is none', { icon: 'dragon' }, 'icon'],
  ['too many pages', { pages: Array.from({ length: 13 }, () => '') }, 'pages'],
  ['an empty label', { labels: [''] }, 'labels[0]'],
  ['a kind of nobody', { kindId: 999_999 }, 'kindId'],
])('refuses %s, naming the field', async (_name, more, field) => {
  expect(await refused(change(await make(), more))).toBe(field);
});

it.each<[string, object, string | null]>([
  ['a page it may have', { page: 11 }, null],
  ['a page beyond the last', { page: 12 }, 'widgets[0].page'],
  ['a place on the phone', { phone: { order: 2, hidden: true, width: 'half', height: 200 } }, null],
  ['a width that is none', { phone: { width: 'third' } }, 'widgets[0].phone.width'],
  ['a height of nothing', { phone: { height: 1 } }, 'widgets[0].phone.height'],
  ['something more of the phone', { phone: { colour: 'red' } }, 'widgets[0].phone'],
  ['words that are too long', { options: { words: 'x'.repeat(4001) } }, 'widgets[0].options.words'],
  ['an option of another sort', { options: { zones: '' } }, 'widgets[0].options.zones'],
])('a widget with %s', async (_name, more, field) => {
  const outcome = await refused(make({ widgets: [text(more)] }));
  if (field === null) expect(outcome).toBeNull();
  else expect(outcome).toMatch(field);
});

it.each([
  ['https://quillmere.example/map', null],
  ['/dashboards/2', null],
  ['mailto:warden@quillmere.example', null],
  ['javascript:alert(1)', 'widgets[0].options.address'],
  ['//elsewhere.example', 'widgets[0].options.address'],
  ['data:text/html,x', 'widgets[0].options.address'],
])('a link to %s is taken only where it leads nowhere by itself', async (address, field) => {
  expect(await refused(make({ widgets: [text({ type: 'link', options: { address } })] }))).toBe(field);
});

it('a kind has a complete one before there is anything to see, for whichever device is chosen', async () => {
  const made = await person.client.call('createKindDashboard', { params: { kind: kindId } });
  expect(made.kindId).toBe(kindId);
  expect(made.widgets.length).toBeGreaterThan(3);
  expect(made.widgets.flatMap(({ sources }) => sources.map(({ device }) => device))).not.toContain(
    'dipwell-north',
  );
  expect(await refused(person.client.call('createKindDashboard', { params: { kind: 999_999 } }))).toMatch(
    /kind/,
  );
});

it('of two changes to one version one is kept, and the other told who was faster', async () => {
  const made = await make();
  const outcomes = await Promise.allSettled([
    change(made, { title: 'First' }),
    change(made, { title: 'Second' }),
  ]);
  expect(outcomes.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected']);
  const { version } = await person.client.call('readDashboard', { params: { dashboard: made.id } });
  expect(version).toBe(2);
});

it('two widgets of one ID are refused, and which two they are is said', async () => {
  const widgets = [text(), text({ id: 'w2' }), text({ x: 4 })];
  const error = await make({ widgets } as never).catch((one: ApiError) => one);
  expect((error as ApiError).problem.errors).toEqual([
    { field: 'widgets[2].id', reason: 'is also that of widgets[0]', remedy: 'Give each an ID of its own.' },
  ]);
  const made = await make({ widgets: [text()] });
  expect(await refused(change(made, { widgets }))).toBe('widgets[2].id');
});
