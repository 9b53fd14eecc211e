/** Interlocks, and who has overridden one for a while. */
export const STEERING = [
  // Rules that hold controls as long as their events are open.
  'ALTER TABLE rules ADD COLUMN IF NOT EXISTS holds TINYINT(1) NOT NULL DEFAULT 0, ADD KEY IF NOT EXISTS holding (holds, workspaceId)',
  `CREATE TABLE IF NOT EXISTS overrides (deviceRowId INT UNSIGNED NOT NULL, streamId INT UNSIGNED NOT NULL, workspaceId INT UNSIGNED NOT NULL,
    until BIGINT NOT NULL, madeAt BIGINT NOT NULL, madeBy VARCHAR(80) NOT NULL, PRIMARY KEY (deviceRowId, streamId), KEY (workspaceId))`,
  // What each lane of the outbox asks for: what is due of one channel.
  'ALTER TABLE alerts ADD KEY IF NOT EXISTS dueOfChannel (state, channel, dueAt)',
  // What a mute kept back until now is not told of any more.
  "UPDATE alerts SET dueAt = 0 WHERE state = 'muted'",
  // What keeps a control safe.
  `ALTER TABLE streams ADD COLUMN IF NOT EXISTS asks TINYINT(1) NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS runAtMost TEXT NULL,
    ADD COLUMN IF NOT EXISTS withoutLink TEXT NULL`,
  // Where a widget asked first, its datastream does; and where its part can hurt.
  `UPDATE streams s JOIN (SELECT DISTINCT b.workspaceId, v.kindId, w.stream FROM dashboards b,
      JSON_TABLE(b.widgets, '$[*]' COLUMNS (asks VARCHAR(8) PATH '$.options.asks',
        NESTED PATH '$.sources[*]' COLUMNS (device VARCHAR(40) PATH '$.device', stream VARCHAR(40) PATH '$.stream'))) w
      LEFT JOIN devices v ON v.id = CONVERT(w.device USING utf8mb4) COLLATE utf8mb4_bin
      WHERE w.asks IN ('1', 'true') AND (v.workspaceId IS NULL OR v.workspaceId = b.workspaceId)) a
    ON a.workspaceId = s.workspaceId AND s.\`key\` = CONVERT(a.stream USING utf8mb4) COLLATE utf8mb4_bin AND (a.kindId IS NULL OR a.kindId = s.kindId)
    SET s.asks = 1 WHERE s.direction <> 'report'`,
  "UPDATE streams SET asks = 1 WHERE direction <> 'report' AND part IN ('relay', 'latching-relay', 'turning-lever', 'step-motor')",
  // A control that runs for no longer than it may, and rests then: epoch ms; which command ended it.
  `CREATE TABLE IF NOT EXISTS runs (deviceRowId INT UNSIGNED NOT NULL, streamId INT UNSIGNED NOT NULL, workspaceId INT UNSIGNED NOT NULL,
    runUntil BIGINT NULL, restUntil BIGINT NULL, endedBy BIGINT UNSIGNED NULL, PRIMARY KEY (deviceRowId, streamId), KEY (workspaceId), KEY due (runUntil))`,
  // What people say of an event, one after the other.
  `CREATE TABLE IF NOT EXISTS eventComments (id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, eventId INT UNSIGNED NOT NULL,
    at BIGINT NOT NULL, madeBy VARCHAR(80) NOT NULL, text VARCHAR(300) NOT NULL, KEY (eventId), KEY (workspaceId))`,
  // When an alert was tried first, epoch ms, and whether another way stands in for it already.
  'ALTER TABLE alerts ADD COLUMN IF NOT EXISTS triedAt BIGINT NULL, ADD COLUMN IF NOT EXISTS stoodIn TINYINT(1) NOT NULL DEFAULT 0',
  // Where nothing gets through, since when, epoch ms; an empty channel for a person to whom no way is left.
  `CREATE TABLE IF NOT EXISTS unreached (workspaceId INT UNSIGNED NOT NULL, channel VARCHAR(20) NOT NULL, recipient VARCHAR(254) NOT NULL,
    since BIGINT NOT NULL, reason VARCHAR(300) NOT NULL, PRIMARY KEY (workspaceId, channel, recipient))`,
];
