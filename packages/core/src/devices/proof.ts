/** How far a new device has come; each time in epoch ms, null while not yet. */
export interface Proof {
  seenAt: number | null;
  tokenRightAt: number | null;
  connectedAt: number | null;
  firstReadingAt: number | null;
  /** The newest thing that went wrong on the way, with where it came from. */
  trouble: { at: number; reason: string; hint: string; from: string } | null;
}

export const EMPTY_PROOF: Proof = {
  seenAt: null,
  tokenRightAt: null,
  connectedAt: null,
  firstReadingAt: null,
  trouble: null,
};

export const PROOF_STEPS = ['seen', 'token right', 'connected', 'first reading'] as const;
export type ProofStep = (typeof PROOF_STEPS)[number];

/** The first step that is not yet done, or null when all are. */
export function nextProofStep(proof: Proof): ProofStep | null {
  const done = [proof.seenAt, proof.tokenRightAt, proof.connectedAt, proof.firstReadingAt];
  const index = done.indexOf(null);
  return index < 0 ? null : PROOF_STEPS[index]!;
}

/** The exact next thing to do for the step that is waited for. */
export function proofAdvice(proof: Proof): string {
  switch (nextProofStep(proof)) {
    case 'seen':
      return 'Nothing has come from this device yet. Paste the curl line below into a terminal on this network, or flash the starter and switch the board on.';
    case 'token right':
      return 'Something called with this device’s name, but its token was not right. Copy the whole token again, or make a new one.';
    case 'connected':
      return 'The token is right. Wait for the board to finish connecting; if it does not, look at what it prints on its serial line.';
    case 'first reading':
      return 'Connected. Now send one value: the name must be one of this kind’s datastreams. What comes and is refused is shown under arrivals, with the reason.';
    case null:
      return 'Readings arrive. Open the dashboard that is offered, or touch the sensor and watch the value change.';
  }
}
