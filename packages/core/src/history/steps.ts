/** Steps of the calendar; apart from what works them out, as pages name them without it. */
export const CALENDAR_STEPS = ['hour', 'day', 'week', 'month', 'year'] as const;
export type CalendarStep = (typeof CALENDAR_STEPS)[number];
