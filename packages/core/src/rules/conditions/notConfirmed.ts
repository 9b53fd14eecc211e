import { KEY_PATTERN } from '../../readings/names';
import type { ConditionSort } from './sort';

/** What must follow a control was not measured in its time. */
export interface NotConfirmedSettings {
  key: string;
}

export const notConfirmed: ConditionSort<NotConfirmedSettings> = {
  sort: 'not-confirmed',
  title: 'is not confirmed',
  watches: 'facts',
  fields: [],
  version: 1,
  check: ({ key }) =>
    KEY_PATTERN.test(key)
      ? null
      : {
          field: 'stream',
          reason: 'is not a datastream',
          remedy: 'Choose a control that something must follow.',
        },
  clause: ({ key }, { stream, whom }) =>
    `a wanted ${stream?.title ?? `"${key}"`} of ${whom} is not confirmed`,
  closes: () => 'one is',
  facts: {
    opens: 'not-confirmed',
    closes: 'confirmed',
    opened: (key, device) => `What must follow "${key}" of ${device} was not measured.`,
    closed: (key, device, after) => `"${key}" of ${device} is confirmed again, after ${after}.`,
  },
};
