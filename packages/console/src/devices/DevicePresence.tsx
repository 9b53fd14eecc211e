import type { ReactNode } from 'react';
import { presenceOf } from '@peatmoor/core';
import type { Device } from '@peatmoor/contract';
import { useHeardUntil, useLastSeen } from '../live';
import { PresenceMark } from '../parts/marks';

/** Whether a device is there, as the time goes on: alone, so that nothing around it is drawn anew for that. */
export function DevicePresence({
  device,
  intervalS,
}: {
  device: Pick<Device, 'id' | 'connected' | 'lastSeenAt'>;
  intervalS: number;
}): ReactNode {
  const now = useHeardUntil();
  const lastSeenAt = useLastSeen(device.id) ?? device.lastSeenAt;
  return (
    <PresenceMark
      presence={presenceOf({ connected: device.connected, lastSeenAt, intervalS }, now)}
      now={now}
    />
  );
}
