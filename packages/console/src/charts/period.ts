/** The periods of the time strip, in ms. */
export const PERIODS = [
  { key: '5min', title: '5 min', ms: 300_000 },
  { key: '1h', title: '1 h', ms: 3_600_000 },
  { key: '24h', title: '24 h', ms: 86_400_000 },
  { key: '7d', title: '7 d', ms: 7 * 86_400_000 },
  { key: '30d', title: '30 d', ms: 30 * 86_400_000 },
  { key: '1y', title: '1 y', ms: 365 * 86_400_000 },
] as const;

export type Period = (typeof PERIODS)[number];
export const FIRST_PERIOD: Period = PERIODS[1];
