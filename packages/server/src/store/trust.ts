/** What resets are bound to: a workspace whose owner made the link, and whether the second factor goes with the old password. */
export const TRUST = [
  'ALTER TABLE resets ADD COLUMN IF NOT EXISTS workspaceId INT UNSIGNED NULL, ADD COLUMN IF NOT EXISTS endsFactor TINYINT(1) NOT NULL DEFAULT 0',
];
