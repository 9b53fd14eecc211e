import { KEY_PATTERN } from '../../readings/names';
import type { ConditionSort } from './sort';

/** What a device raises and clears itself, by a key of its own. */
export interface RaisedSettings {
  key: string;
}

export const raised: ConditionSort<RaisedSettings> = {
  sort: 'raised',
  title: 'raises by itself',
  watches: 'facts',
  fields: [],
  version: 1,
  check: ({ key }) =>
    KEY_PATTERN.test(key)
      ? null
      : {
          field: 'stream',
          reason: `"${key.slice(0, 40)}" cannot be the key of an event`,
          remedy: 'Write small letters, digits and underscores, such as low_battery.',
        },
  clause: ({ key }, { whom }) => `${whom} raises "${key}"`,
  closes: () => 'it clears it',
  facts: {
    opens: 'raised',
    closes: 'cleared',
    opened: (key, device) => `${device} raised "${key}".`,
    closed: (key, device, after) => `${device} cleared "${key}" after ${after}.`,
  },
};
