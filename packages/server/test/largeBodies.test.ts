import { ValidationError } from 'yup';
import { applyFileSchema } from '../../contract/src/schemas/workspaceFile';
import { checkBody } from '../src/api/validation';

const device = (i: number): object => ({ id: `dev-${i}`, name: ` Dev ${i} `, kind: 'Moor' });
const file = (devices: object[]): object => ({ document: { peatmoor: 1, devices } });
const many = (count: number): object[] => Array.from({ length: count }, (_, i) => device(i));
const faultsOf = async (body: unknown): Promise<string[]> => {
  try {
    await checkBody(applyFileSchema, body);
    return [];
  } catch (error) {
    if (!(error instanceof ValidationError)) throw error;
    return (error.inner.length > 0 ? error.inner : [error]).map(({ path }) => path ?? '');
  }
};

describe('a large body', () => {
  it('gives others a turn while it is looked at', async () => {
    let turns = 0;
    const beat = setInterval(() => turns++, 1);
    await checkBody(applyFileSchema, file(many(4000)));
    clearInterval(beat);
    // In one go nobody has a turn until it is over.
    expect(turns).toBeGreaterThan(10);
  });

  it('is taken as a small one is: trimmed, filled in, and with the same faults at the same places', async () => {
    const small = (await checkBody(applyFileSchema, file(many(3)))) as { document: { devices: object[] } };
    const large = (await checkBody(applyFileSchema, file(many(900)))) as { document: { devices: object[] } };
    expect(large.document.devices.slice(0, 3)).toEqual(small.document.devices);
    expect(large).toHaveProperty('delete', false);

    const wrong = [{ ...device(0), name: 7 }, { ...device(1), colour: 'red' }, 'dev-2'] as object[];
    const [few, lots] = [await faultsOf(file(wrong)), await faultsOf(file([...wrong, ...many(900)]))];
    expect(few).toContain('document.devices[0].name');
    expect(lots.sort()).toEqual(few.sort());
    expect(await faultsOf({ ...file(many(900)), remove: true })).toEqual(['']);
    expect(await faultsOf(file(many(5001)))).toEqual(['document.devices']);
    // Of a hundred entries with faults, no more.
    const nameless = await faultsOf(file(many(900).map((one) => ({ ...one, id: '' }))));
    expect(new Set(nameless).size).toBe(100);
  });
});
