import type { ReactNode } from 'react';
import type { Rule } from '@peatmoor/contract';
import { useRead } from '../api';
import { useDisplay } from '../parts/useDisplay';
import { readyRule } from './fields';
import { firstFields } from './firstFields';

/** A rule as a sentence, with its values in the units of whoever looks. */
export function SentenceInUnits({ rule }: { rule: Rule }): ReactNode {
  const devices = useRead('listDevices').data;
  const kinds = useRead('listKinds').data;
  const displayOf = useDisplay();
  if (devices === undefined || kinds === undefined) return rule.sentence;
  const catalogue = { devices, kinds, displayOf };
  const ready = readyRule(
    firstFields(rule, catalogue, 0, { device: null, kind: null, stream: null }),
    catalogue,
  );
  return ready?.sentence ?? rule.sentence;
}
