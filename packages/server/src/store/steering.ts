/** Interlocks, and who has overridden one for a while. */
export const STEERING = [
  // Rules that hold controls as long as their events are open.
  'ALTER TABLE rules ADD COLUMN IF NOT EXISTS holds TINYINT(1) NOT NULL DEFAULT 0, ADD KEY IF NOT EXISTS holding (holds, workspaceId)',
  `CREATE TABLE IF NOT EXISTS overrides (deviceRowId INT UNSIGNED NOT NULL, streamId INT UNSIGNED NOT NULL, workspaceId INT UNSIGNED NOT NULL,
    until BIGINT NOT NULL, madeAt BIGINT NOT NULL, madeBy VARCHAR(80) NOT NULL, PRIMARY KEY (deviceRowId, streamId), KEY (workspaceId))`,
  // What each lane of the outbox asks for: what is due of one channel.
  'ALTER TABLE alerts ADD KEY IF NOT EXISTS dueOfChannel (state, channel, dueAt)',
];
