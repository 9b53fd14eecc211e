/** What resets are bound to: a workspace whose owner made the link, and whether the second factor goes with the old password. */
export const TRUST = [
  'ALTER TABLE resets ADD COLUMN IF NOT EXISTS workspaceId INT UNSIGNED NULL, ADD COLUMN IF NOT EXISTS endsFactor TINYINT(1) NOT NULL DEFAULT 0',
  // Whose an answer is that is kept for a repeated call, so that one caller's are bounded.
  'ALTER TABLE repeats ADD COLUMN IF NOT EXISTS caller BINARY(16) NULL, ADD COLUMN IF NOT EXISTS bytes INT UNSIGNED NOT NULL DEFAULT 0, ADD KEY IF NOT EXISTS ofCaller (caller, madeAt)',
  // When a value was wanted, by the database's clock.
  'ALTER TABLE commands ADD COLUMN IF NOT EXISTS wantedAt BIGINT NULL, ADD COLUMN IF NOT EXISTS eventId INT UNSIGNED NULL, ADD KEY IF NOT EXISTS ofEvent (eventId)',
  // Of an event, as the name of who wanted it said until now.
  "UPDATE commands SET eventId = CAST(SUBSTRING(userName, 7) AS UNSIGNED) WHERE eventId IS NULL AND userName REGEXP '^event [0-9]{1,9}: '",
  // For how long events, alerts and commands are kept, in days; nothing for five years.
  'ALTER TABLE workspaces ADD COLUMN IF NOT EXISTS recordDays INT UNSIGNED NULL',
];
