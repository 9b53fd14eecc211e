import type { ReactNode } from 'react';
import { sortFor, STARTER_SORTS } from '@peatmoor/core';
import type { Kind, Me } from '@peatmoor/contract';
import { useRead } from '../api';
import { StarterProject } from '../devices/StarterProject';

/** The starter of a kind with which each board claims a device of its own. */
export function ClaimStarter({
  kind,
  address,
  secret,
}: {
  kind: Kind;
  address: Me['address'];
  secret: string;
}): ReactNode {
  const firmwareKey = useRead('readFirmwareKey', { params: { kind: kind.id } }).data;
  return (
    <StarterProject
      sorts={STARTER_SORTS}
      first={sortFor(kind.board)}
      plan={{
        firmwareKey: firmwareKey?.publicKey ?? null,
        deviceId: '',
        deviceName: kind.title,
        ...address,
        token: null,
        intervalS: kind.intervalS,
        streams: kind.streams,
        claim: { secret },
      }}
    />
  );
}
