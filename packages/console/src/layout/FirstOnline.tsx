import { useState, type ReactNode } from 'react';
import { Link, useLocation } from 'react-router';
import { useLive } from '../live';
import { Notice } from '../parts/Notice';

/** Says on every page that a device is online for the first time, until it is looked at or put away. */
export function FirstOnline(): ReactNode {
  const { arrived } = useLive();
  const { pathname } = useLocation();
  const [away, setAway] = useState<ReadonlySet<string>>(new Set());
  const put = (device: string): void => setAway((before) => new Set([...before, device]));
  return arrived
    .filter(({ device }) => !away.has(device) && pathname !== `/devices/${device}`)
    .map(({ device, name }) => (
      <Notice key={device} tone="good" action={{ label: 'Put away', onClick: () => put(device) }}>
        <Link to={`/devices/${device}`}>{name}</Link> is online for the first time.
      </Notice>
    ));
}
