/** How far the service's clock is ahead of this machine's, in ms; as told by its newest beat. */
let ahead = 0;

/** Notes what time it is by the service, epoch ms. */
export function noteServiceTime(now: number): void {
  ahead = now - Date.now();
}

/** The time by the service's clock, epoch ms. What is shown and wanted goes by it, whatever the clock of whoever looks says. */
export const serviceNow = (): number => Date.now() + ahead;

/** A time of this machine's clock by the service's, epoch ms. */
export const serviceTimeOf = (here: number): number => here + ahead;
