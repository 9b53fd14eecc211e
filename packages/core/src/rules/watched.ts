/** Whom a rule watches, as its sentence says it: a device by its name, or any of a kind (`deviceName` null). */
export function whomWatched(deviceName: string | null, kindTitle: string): string {
  return deviceName ?? `any ${kindTitle}`;
}

/** True where a rule for one device, for a kind or for a label watches a device; devices are told apart by whatever names both. */
export function watchesDevice<Name extends string | number>(
  rule: { device: Name | null; kindId: number | null; label: string | null },
  device: { name: Name; kindId: number; labels: readonly string[] },
): boolean {
  if (rule.label !== null) return device.labels.includes(rule.label);
  return rule.device === null ? rule.kindId === device.kindId : rule.device === device.name;
}

interface Kind<Stream> {
  id: number;
  title: string;
  streams: readonly Stream[];
}

/**
 * What a rule or an event is about: its datastream (undefined where there is none with that key, as for events that a
 * device raises itself), and whom it watches.
 */
export function watched<Stream extends { key: string }>(
  about: { deviceId: string | null; kindId?: number | null | undefined; stream: string },
  devices: readonly { id: string; name: string; kindId: number }[] = [],
  kinds: readonly Kind<Stream>[] = [],
): { stream: Stream | undefined; whom: string } {
  const device = devices.find(({ id }) => id === about.deviceId);
  const kind = kinds.find(({ id }) => id === (device?.kindId ?? about.kindId));
  return {
    stream: kind?.streams.find(({ key }) => key === about.stream),
    whom: whomWatched(device?.name ?? null, kind?.title ?? ''),
  };
}
