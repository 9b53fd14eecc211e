/** A time as people read it, in UTC. */
export const showTime = (at: number): string =>
  `${new Date(at).toISOString().slice(0, 16).replace('T', ' ')} UTC`;
