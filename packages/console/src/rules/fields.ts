import { watched } from '@peatmoor/core';
import type { Device, Kind, Rule, Severity } from '@peatmoor/contract';
import type { useDisplay } from '../parts/useDisplay';

/** What the form of an event rule holds, as it is written. */
export interface RuleFields {
  title: string;
  /** `device:<id>` or `kind:<number>`. */
  whom: string;
  stream: string;
  comparison: 'above' | 'below' | 'raised' | 'not-confirmed';
  /** Key of the event, where the device raises it itself. */
  eventKey: string;
  limit: string;
  holdMs: number;
  closeLimit: string;
  closeHoldMs: number;
  severity: Severity;
  emails: string;
  active: boolean;
}

/** What the form begins with: a rule as it is, or one that watches the first device. */
export function firstFields(
  before: Rule | undefined,
  devices: Device[],
  kinds: Kind[],
  email: string,
  displayOf: ReturnType<typeof useDisplay>,
): RuleFields {
  if (before === undefined) {
    const whom = devices[0] === undefined ? `kind:${kinds[0]?.id}` : `device:${devices[0].id}`;
    return {
      title: '',
      whom,
      stream: '',
      comparison: 'above',
      eventKey: '',
      limit: '',
      holdMs: 0,
      closeLimit: '',
      closeHoldMs: 0,
      severity: 'warning',
      emails: email,
      active: true,
    };
  }
  const { stream } = watched(before, devices, kinds);
  const shown = (limit: number): string => String(stream ? displayOf(stream).convert(limit) : limit);
  return {
    ...before,
    eventKey: before.comparison === 'raised' ? before.stream : '',
    whom: before.deviceId === null ? `kind:${before.kindId}` : `device:${before.deviceId}`,
    limit: shown(before.limit),
    closeLimit: before.closeLimit === null ? '' : shown(before.closeLimit),
    emails: before.emails.join(', '),
  };
}
