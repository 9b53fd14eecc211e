/** What boards have of their controls, as they said it. */
export const SHOWS = [
  // At most one row for each control of a device; `at` in epoch ms.
  `CREATE TABLE IF NOT EXISTS boardHas (deviceRowId INT UNSIGNED NOT NULL, streamId INT UNSIGNED NOT NULL, workspaceId INT UNSIGNED NOT NULL,
    value DOUBLE NOT NULL, textValue TEXT NULL, at BIGINT NOT NULL, PRIMARY KEY (deviceRowId, streamId), KEY (workspaceId))`,
  // What was applied or measured before it was kept here.
  `INSERT IGNORE INTO boardHas (deviceRowId, streamId, workspaceId, value, textValue, at)
    SELECT c.deviceRowId, c.streamId, c.workspaceId, c.value, c.textValue, COALESCE(c.appliedAt, c.confirmedAt, c.createdAt) FROM commands c
      JOIN (SELECT MAX(id) AS id FROM commands WHERE state IN ('applied', 'confirmed') OR (state = 'not-confirmed' AND appliedAt IS NOT NULL)
        GROUP BY deviceRowId, streamId) n ON n.id = c.id`,
];
