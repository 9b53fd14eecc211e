import { KEY_PATTERN } from '../../readings/names';
import { notConfirmedSentence } from '../sentence';
import type { ConditionSort } from './sort';

/** What must follow a control was not measured in its time. */
export interface NotConfirmedSettings {
  key: string;
}

export const notConfirmed: ConditionSort<NotConfirmedSettings> = {
  sort: 'not-confirmed',
  watches: 'facts',
  version: 1,
  check: ({ key }) =>
    KEY_PATTERN.test(key)
      ? null
      : {
          field: 'stream',
          reason: 'is no datastream',
          remedy: 'Choose a control that something must follow.',
        },
  sentence: ({ key }, { stream, whom }) => notConfirmedSentence(stream?.title ?? `"${key}"`, whom),
  facts: {
    opens: 'not-confirmed',
    closes: 'confirmed',
    opened: (key, device) => `What must follow "${key}" of ${device} was not measured.`,
    closed: (key, device, after) => `"${key}" of ${device} is confirmed again, after ${after}.`,
  },
};
