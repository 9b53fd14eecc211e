/** Forgets the answers that this browser keeps for when the service cannot be reached: they are of whoever was signed in, and where. */
export const forgetAnswers = (): Promise<unknown> =>
  'caches' in window ? caches.delete('answers') : Promise.resolve();
