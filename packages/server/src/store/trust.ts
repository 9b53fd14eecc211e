/** What resets are bound to: a workspace whose owner made the link, and whether the second factor goes with the old password. */
export const TRUST = [
  'ALTER TABLE resets ADD COLUMN IF NOT EXISTS workspaceId INT UNSIGNED NULL, ADD COLUMN IF NOT EXISTS endsFactor TINYINT(1) NOT NULL DEFAULT 0',
  // Whose an answer is that is kept for a repeated call, so that one caller's are bounded.
  'ALTER TABLE repeats ADD COLUMN IF NOT EXISTS caller BINARY(16) NULL, ADD COLUMN IF NOT EXISTS bytes INT UNSIGNED NOT NULL DEFAULT 0, ADD KEY IF NOT EXISTS ofCaller (caller, madeAt)',
  // When a value was wanted, by the database's clock.
  'ALTER TABLE commands ADD COLUMN IF NOT EXISTS wantedAt BIGINT NULL, ADD COLUMN IF NOT EXISTS eventId INT UNSIGNED NULL, ADD KEY IF NOT EXISTS ofEvent (eventId)',
  // Of an event, as the name of who wanted it said until now.
  "UPDATE commands SET eventId = CAST(SUBSTRING(userName, 7) AS UNSIGNED) WHERE eventId IS NULL AND userName REGEXP '^event [0-9]{1,9}: '",
  // When a mute was made: one of a clock that was wrong lasts no longer than it was meant to.
  'ALTER TABLE mutes ADD COLUMN IF NOT EXISTS madeAt BIGINT NULL',
  // The time of a database that several services share, written so that it never goes back, whichever database answers.
  'CREATE TABLE IF NOT EXISTS sharedTime (id TINYINT UNSIGNED PRIMARY KEY, at BIGINT NOT NULL)',
  // Which connection of a session that outlasts connections is the newest one, and how often something was taken of it.
  'ALTER TABLE lastingSessions ADD COLUMN IF NOT EXISTS epoch INT UNSIGNED NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS taken INT UNSIGNED NOT NULL DEFAULT 0',
  // What pages ask of tables that grow.
  'ALTER TABLE sessions ADD KEY IF NOT EXISTS ofWorkspace (workspaceId, userId)',
  'ALTER TABLE setAside ADD KEY IF NOT EXISTS newest (madeAt)',
  // For how long events, alerts and commands are kept, in days; nothing for five years.
  'ALTER TABLE workspaces ADD COLUMN IF NOT EXISTS recordDays INT UNSIGNED NULL',
];
