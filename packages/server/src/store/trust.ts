/** What resets are bound to: a workspace whose owner made the link, and whether the second factor goes with the old password. */
export const TRUST = [
  'ALTER TABLE resets ADD COLUMN IF NOT EXISTS workspaceId INT UNSIGNED NULL, ADD COLUMN IF NOT EXISTS endsFactor TINYINT(1) NOT NULL DEFAULT 0',
  // Whose an answer is that is kept for a repeated call, so that one caller's are bounded.
  'ALTER TABLE repeats ADD COLUMN IF NOT EXISTS caller BINARY(16) NULL, ADD COLUMN IF NOT EXISTS bytes INT UNSIGNED NOT NULL DEFAULT 0, ADD KEY IF NOT EXISTS ofCaller (caller, madeAt)',
  // When a value was wanted, by the database's clock.
  'ALTER TABLE commands ADD COLUMN IF NOT EXISTS wantedAt BIGINT NULL',
];
