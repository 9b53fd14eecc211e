/** Whom a rule watches, as its sentence says it: a device by its name, or any of a kind (`deviceName` null). */
export function whomWatched(deviceName: string | null, kindTitle: string): string {
  return deviceName ?? `any ${kindTitle}`;
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
