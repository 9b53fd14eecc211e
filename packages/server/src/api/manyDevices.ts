import { counted, DEVICE_ID_PATTERN, parseTable } from '@peatmoor/core';
import type { DeviceIn } from '@peatmoor/contract';
import { wrongField } from '../problems';
import { listIn } from '../store/rows';
import type { Store } from '../store/store';

const MOST_DEVICES = 1000;

/**
 * Reads a list of devices: a row each with name and kind (title or number), and perhaps id and labels. Throws 422
 * naming the first row that is wrong, so that all are made or none.
 */
export async function readDeviceList(store: Store, workspaceId: number, csv: string): Promise<DeviceIn[]> {
  const table = parseTable(csv);
  const wrong = (reason: string, remedy: string): Error => wrongField('csv', reason, remedy);
  if (typeof table === 'string') throw wrong(`: ${table}`, 'Correct the list and send it again.');
  const column = (name: string): number => table.names.findIndex((one) => one.toLowerCase() === name);
  const [name, kind, id, labels] = ['name', 'kind', 'id', 'labels'].map(column) as [
    number,
    number,
    number,
    number,
  ];
  if (name < 0 || kind < 0)
    throw wrong('needs the columns name and kind', 'Write a header row such as: name,kind,labels');
  if (table.rows.length > MOST_DEVICES)
    throw wrong(
      `has ${counted(table.rows.length, 'row')}; ${MOST_DEVICES} are taken at once`,
      'Send the list in parts.',
    );
  const kinds = await listIn(store.models.kinds, workspaceId);
  return table.rows.map((cells, i) => {
    const title = cells[kind]!.trim();
    const found = kinds.find(
      (one) => one.title.toLowerCase() === title.toLowerCase() || String(one.id) === title,
    );
    if (found === undefined)
      throw wrong(
        `row ${i + 2}: there is no kind "${title.slice(0, 60)}"`,
        `Choose one of: ${kinds.map((one) => one.title).join(', ') || 'make a kind first'}.`,
      );
    const called = cells[name]!.trim();
    if (called === '' || called.length > 80)
      throw wrong(`row ${i + 2}: a name has 1 to 80 letters`, 'Give each device a name.');
    const wanted = id < 0 ? '' : cells[id]!.trim();
    if (wanted !== '' && !DEVICE_ID_PATTERN.test(wanted))
      throw wrong(
        `row ${i + 2}: "${wanted.slice(0, 60)}" cannot be a device ID`,
        'Use 2 to 40 small letters, digits or hyphens, starting with a letter; or leave it empty.',
      );
    const words =
      labels < 0
        ? []
        : cells[labels]!.split(';')
            .map((word) => word.trim())
            .filter(Boolean);
    return {
      name: called,
      kindId: found.id,
      labels: words.slice(0, 20).map((word) => word.slice(0, 40)),
      ...(wanted !== '' && { id: wanted }),
    };
  });
}
