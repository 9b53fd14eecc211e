/** Tables of the first migration, one statement each. Times are epoch milliseconds unless the name says otherwise. */
export const FIRST_TABLES = [
  `CREATE TABLE users (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, email VARCHAR(254) NOT NULL UNIQUE, name VARCHAR(80) NOT NULL,
    passwordHash VARCHAR(255) NOT NULL, createdAt BIGINT NOT NULL)`,
  `CREATE TABLE workspaces (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, title VARCHAR(80) NOT NULL, createdAt BIGINT NOT NULL)`,
  `CREATE TABLE memberships (workspaceId INT UNSIGNED NOT NULL, userId INT UNSIGNED NOT NULL, role VARCHAR(10) NOT NULL,
    PRIMARY KEY (workspaceId, userId), KEY (userId))`,
  `CREATE TABLE sessions (idHash BINARY(32) PRIMARY KEY, userId INT UNSIGNED NOT NULL, workspaceId INT UNSIGNED NOT NULL,
    createdAt BIGINT NOT NULL, endsAt BIGINT NOT NULL)`,
  `CREATE TABLE accessKeys (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, userId INT UNSIGNED NOT NULL,
    title VARCHAR(80) NOT NULL, fingerprint CHAR(6) NOT NULL UNIQUE, secretHash BINARY(32) NOT NULL, createdAt BIGINT NOT NULL,
    usedAt BIGINT NULL, scope VARCHAR(20) NOT NULL, deviceRowId INT UNSIGNED NULL, endsAt BIGINT NULL, KEY (workspaceId, userId), KEY (deviceRowId))`,
  `CREATE TABLE kinds (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, title VARCHAR(80) NOT NULL,
    intervalS INT UNSIGNED NOT NULL, acceptNew TINYINT(1) NOT NULL, notes TEXT NOT NULL, board VARCHAR(20) NOT NULL, icon VARCHAR(20) NOT NULL,
    createdAt BIGINT NOT NULL, KEY (workspaceId))`,
  `CREATE TABLE streams (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, kindId INT UNSIGNED NOT NULL,
    \`key\` VARCHAR(40) NOT NULL, title VARCHAR(80) NOT NULL, type VARCHAR(10) NOT NULL, unit VARCHAR(20) NULL, min DOUBLE NULL, max DOUBLE NULL,
    rangePolicy VARCHAR(10) NOT NULL, decimals TINYINT NULL, direction VARCHAR(10) NOT NULL, pin SMALLINT NULL, aliases TEXT NOT NULL,
    description VARCHAR(500) NOT NULL, choices TEXT NOT NULL, colour CHAR(7) NULL, part VARCHAR(40) NULL, boardPin VARCHAR(40) NOT NULL,
    keepDays INT NULL, unconfirmed TINYINT(1) NOT NULL,
    UNIQUE KEY kindKey (kindId, \`key\`), UNIQUE KEY kindPin (kindId, pin), KEY (workspaceId))`,
  `CREATE TABLE devices (rowId INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, kindId INT UNSIGNED NOT NULL,
    id VARCHAR(40) NOT NULL, name VARCHAR(80) NOT NULL, createdAt BIGINT NOT NULL, lastSeenAt BIGINT NULL, proof TEXT NOT NULL,
    dashboardId INT UNSIGNED NULL, labels TEXT NOT NULL, place TEXT NULL, notes TEXT NOT NULL, about TEXT NOT NULL,
    gatewayRowId INT UNSIGNED NULL, serial VARCHAR(80) NULL,
    UNIQUE KEY workspaceDevice (workspaceId, id), UNIQUE KEY gatewaySerial (gatewayRowId, serial), KEY (kindId))`,
  `CREATE TABLE deviceTokens (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, deviceRowId INT UNSIGNED NOT NULL,
    title VARCHAR(80) NOT NULL, fingerprint CHAR(6) NOT NULL UNIQUE, secretHash BINARY(32) NOT NULL, createdAt BIGINT NOT NULL,
    usedAt BIGINT NULL, withdrawnAt BIGINT NULL, KEY (deviceRowId))`,
  `CREATE TABLE series (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, deviceRowId INT UNSIGNED NOT NULL,
    streamId INT UNSIGNED NOT NULL, newestAt BIGINT NULL, newestValue DOUBLE NULL, newestOther TEXT NULL, UNIQUE KEY deviceStream (deviceRowId, streamId), KEY (workspaceId), KEY (streamId))`,
  `CREATE TABLE journalWriters (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, startedAt BIGINT NOT NULL)`,
  `CREATE TABLE journal (writer INT UNSIGNED NOT NULL, seq BIGINT UNSIGNED NOT NULL, committedAt BIGINT NOT NULL, body MEDIUMBLOB NOT NULL,
    PRIMARY KEY (writer, seq))`,
  `CREATE TABLE journalOffsets (reader VARCHAR(20) NOT NULL, writer INT UNSIGNED NOT NULL, seq BIGINT UNSIGNED NOT NULL, PRIMARY KEY (reader, writer))`,
  // A day of one series: its readings packed, and what is rolled up from them beside them, so that the two never disagree.
  `CREATE TABLE chunks (seriesId INT UNSIGNED NOT NULL, day INT NOT NULL, workspaceId INT UNSIGNED NOT NULL, count INT UNSIGNED NOT NULL,
    min DOUBLE NOT NULL, max DOUBLE NOT NULL, sum DOUBLE NOT NULL, first DOUBLE NOT NULL, last DOUBLE NOT NULL,
    hours BLOB NULL, tens BLOB NULL, body MEDIUMBLOB NOT NULL, PRIMARY KEY (seriesId, day))`,
  `CREATE TABLE texts (seriesId INT UNSIGNED NOT NULL, at BIGINT NOT NULL, workspaceId INT UNSIGNED NOT NULL, body TEXT NOT NULL, PRIMARY KEY (seriesId, at))`,
  `CREATE TABLE locations (seriesId INT UNSIGNED NOT NULL, at BIGINT NOT NULL, workspaceId INT UNSIGNED NOT NULL, lat DOUBLE NOT NULL, lon DOUBLE NOT NULL, alt DOUBLE NULL, PRIMARY KEY (seriesId, at))`,
  `CREATE TABLE images (seriesId INT UNSIGNED NOT NULL, at BIGINT NOT NULL, workspaceId INT UNSIGNED NOT NULL, type VARCHAR(20) NOT NULL, body MEDIUMBLOB NOT NULL, PRIMARY KEY (seriesId, at))`,
  `CREATE TABLE arrivals (id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, deviceRowId INT UNSIGNED NOT NULL,
    receivedAt BIGINT NOT NULL, body MEDIUMTEXT NOT NULL,
    form VARCHAR(80) NOT NULL, raw MEDIUMBLOB NULL, KEY (deviceRowId, id), KEY (workspaceId, id))`,
  `CREATE TABLE calibrations (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, deviceRowId INT UNSIGNED NOT NULL,
    streamId INT UNSIGNED NOT NULL, fromAt BIGINT NULL, calibration TEXT NOT NULL, captured TEXT NULL, userName VARCHAR(80) NOT NULL,
    madeAt BIGINT NOT NULL, KEY (deviceRowId, streamId), KEY (workspaceId))`,
  `CREATE TABLE corrections (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, deviceRowId INT UNSIGNED NOT NULL,
    streamKey VARCHAR(40) NOT NULL, fromAt BIGINT NULL, toAt BIGINT NULL, count INT UNSIGNED NOT NULL, userName VARCHAR(80) NOT NULL,
    madeAt BIGINT NOT NULL, KEY (workspaceId, deviceRowId))`,
  `CREATE TABLE commands (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, deviceRowId INT UNSIGNED NOT NULL,
    streamId INT UNSIGNED NOT NULL, value DOUBLE NOT NULL, textValue TEXT NULL, state VARCHAR(10) NOT NULL, userName VARCHAR(80) NOT NULL, createdAt BIGINT NOT NULL,
    sentAt BIGINT NULL, appliedAt BIGINT NULL, note VARCHAR(200) NOT NULL, KEY (deviceRowId, streamId, id), KEY (workspaceId))`,
  `CREATE TABLE dashboards (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, title VARCHAR(80) NOT NULL,
    kindId INT UNSIGNED NULL, version INT UNSIGNED NOT NULL, changedBy VARCHAR(80) NOT NULL, changedAt BIGINT NOT NULL, widgets MEDIUMTEXT NOT NULL, KEY (workspaceId))`,
  `CREATE TABLE rules (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, title VARCHAR(80) NOT NULL, severity VARCHAR(10) NOT NULL,
    deviceRowId INT UNSIGNED NULL, kindId INT UNSIGNED NULL, streamKey VARCHAR(40) NOT NULL, comparison VARCHAR(10) NOT NULL, \`limit\` DOUBLE NOT NULL,
    holdMs BIGINT NOT NULL, closeLimit DOUBLE NULL, closeHoldMs BIGINT NOT NULL, emails TEXT NOT NULL, active TINYINT(1) NOT NULL, KEY (workspaceId))`,
  `CREATE TABLE ruleStates (ruleId INT UNSIGNED NOT NULL, deviceRowId INT UNSIGNED NOT NULL, workspaceId INT UNSIGNED NOT NULL, state TEXT NOT NULL,
    PRIMARY KEY (ruleId, deviceRowId), KEY (deviceRowId))`,
  `CREATE TABLE events (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, ruleId INT UNSIGNED NOT NULL, deviceRowId INT UNSIGNED NOT NULL,
    title VARCHAR(80) NOT NULL, sentence VARCHAR(400) NOT NULL, severity VARCHAR(10) NOT NULL, deviceName VARCHAR(80) NOT NULL, deviceId VARCHAR(40) NOT NULL,
    streamKey VARCHAR(40) NOT NULL, openedAt BIGINT NOT NULL, closedAt BIGINT NULL, value DOUBLE NOT NULL, extreme DOUBLE NOT NULL,
    acknowledgedAt BIGINT NULL, acknowledgedBy VARCHAR(80) NOT NULL, KEY (workspaceId, openedAt), KEY (ruleId, deviceRowId, closedAt))`,
  `CREATE TABLE alerts (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, eventId INT UNSIGNED NOT NULL, channel VARCHAR(10) NOT NULL,
    recipient VARCHAR(254) NOT NULL, phase VARCHAR(10) NOT NULL, subject VARCHAR(200) NOT NULL, text TEXT NOT NULL, state VARCHAR(10) NOT NULL,
    attempts INT UNSIGNED NOT NULL, dueAt BIGINT NOT NULL, sentAt BIGINT NULL, error VARCHAR(300) NOT NULL, KEY (state, dueAt), KEY (eventId))`,
];

/**
 * What the first tables gained while they still had the name of the first migration: folders made in between have some of it,
 * all of it, or nothing.
 */
export const EARLY_FOLDERS = [
  ...FIRST_TABLES.map((statement) => statement.replace('CREATE TABLE', 'CREATE TABLE IF NOT EXISTS')),
  `ALTER TABLE accessKeys ADD COLUMN IF NOT EXISTS scope VARCHAR(20) NOT NULL DEFAULT 'everything', ADD COLUMN IF NOT EXISTS deviceRowId INT UNSIGNED NULL,
    ADD COLUMN IF NOT EXISTS endsAt BIGINT NULL, ADD KEY IF NOT EXISTS deviceRowId (deviceRowId)`,
  `ALTER TABLE kinds ADD COLUMN IF NOT EXISTS acceptNew TINYINT(1) NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS notes TEXT NOT NULL DEFAULT '',
    ADD COLUMN IF NOT EXISTS board VARCHAR(20) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS icon VARCHAR(20) NOT NULL DEFAULT ''`,
  `ALTER TABLE streams ADD COLUMN IF NOT EXISTS description VARCHAR(500) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS choices TEXT NOT NULL DEFAULT '[]',
    ADD COLUMN IF NOT EXISTS colour CHAR(7) NULL, ADD COLUMN IF NOT EXISTS part VARCHAR(40) NULL, ADD COLUMN IF NOT EXISTS boardPin VARCHAR(40) NOT NULL DEFAULT '',
    ADD COLUMN IF NOT EXISTS keepDays INT NULL, ADD COLUMN IF NOT EXISTS unconfirmed TINYINT(1) NOT NULL DEFAULT 0`,
  `ALTER TABLE devices ADD COLUMN IF NOT EXISTS labels TEXT NOT NULL DEFAULT '[]', ADD COLUMN IF NOT EXISTS place TEXT NULL, ADD COLUMN IF NOT EXISTS notes TEXT NOT NULL DEFAULT '',
    ADD COLUMN IF NOT EXISTS about TEXT NOT NULL DEFAULT '{}', ADD COLUMN IF NOT EXISTS gatewayRowId INT UNSIGNED NULL, ADD COLUMN IF NOT EXISTS serial VARCHAR(80) NULL,
    ADD UNIQUE KEY IF NOT EXISTS gatewaySerial (gatewayRowId, serial)`,
  `ALTER TABLE series ADD COLUMN IF NOT EXISTS newestOther TEXT NULL`,
  `ALTER TABLE chunks ADD COLUMN IF NOT EXISTS hours BLOB NULL, ADD COLUMN IF NOT EXISTS tens BLOB NULL`,
  // Rolled up from the chunks, and worked out from them where it is missing.
  `DROP TABLE IF EXISTS hours`,
  `ALTER TABLE arrivals ADD COLUMN IF NOT EXISTS form VARCHAR(80) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS raw MEDIUMBLOB NULL,
    ADD KEY IF NOT EXISTS workspaceId (workspaceId, id)`,
  `ALTER TABLE commands ADD COLUMN IF NOT EXISTS textValue TEXT NULL`,
];

/** Computed datastreams, and their being worked out anew over history. */
export const COMPUTING_TABLES = [
  `ALTER TABLE streams ADD COLUMN IF NOT EXISTS computation TEXT NULL`,
  `CREATE TABLE IF NOT EXISTS recomputations (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, deviceRowId INT UNSIGNED NOT NULL,
    streamId INT UNSIGNED NOT NULL, seriesId INT UNSIGNED NOT NULL, fromAt BIGINT NULL, state VARCHAR(10) NOT NULL, doneDays INT UNSIGNED NOT NULL,
    days INT UNSIGNED NOT NULL, note VARCHAR(200) NOT NULL, userName VARCHAR(80) NOT NULL, madeAt BIGINT NOT NULL, endedAt BIGINT NULL,
    KEY (state, id), KEY (streamId, id), KEY (deviceRowId), KEY (workspaceId))`,
];

/** Claims, units and pictures. */
export const CLAIM_TABLES = [
  `CREATE TABLE IF NOT EXISTS claims (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, kindId INT UNSIGNED NOT NULL,
    title VARCHAR(80) NOT NULL, fingerprint CHAR(6) NOT NULL UNIQUE, secretHash BINARY(32) NOT NULL, most INT UNSIGNED NOT NULL, used INT UNSIGNED NOT NULL,
    userName VARCHAR(80) NOT NULL, createdAt BIGINT NOT NULL, endsAt BIGINT NOT NULL, endedAt BIGINT NULL, KEY (kindId), KEY (workspaceId))`,
  `ALTER TABLE devices ADD COLUMN IF NOT EXISTS claimId INT UNSIGNED NULL, ADD COLUMN IF NOT EXISTS claimOpen TINYINT(1) NOT NULL DEFAULT 0,
    ADD KEY IF NOT EXISTS claimed (claimId)`,
  `ALTER TABLE users ADD COLUMN IF NOT EXISTS units VARCHAR(10) NOT NULL DEFAULT 'metric'`,
  `CREATE TABLE IF NOT EXISTS devicePictures (deviceRowId INT UNSIGNED PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, type VARCHAR(20) NOT NULL,
    body MEDIUMBLOB NOT NULL, madeAt BIGINT NOT NULL, KEY (workspaceId))`,
];

/** Several chunks a day, where it has very many readings; `part` and `toMs` are the first and last time within the day. */
export const CHUNK_PARTS = [
  `ALTER TABLE chunks ADD COLUMN IF NOT EXISTS part INT UNSIGNED NOT NULL DEFAULT 0 AFTER day,
    ADD COLUMN IF NOT EXISTS toMs INT UNSIGNED NOT NULL DEFAULT 86399999 AFTER part, DROP PRIMARY KEY, ADD PRIMARY KEY (seriesId, day, part)`,
];

/** What a control is wanted to be before anybody wants anything. */
export const DEFAULT_VALUES = [`ALTER TABLE streams ADD COLUMN IF NOT EXISTS defaultValue TEXT NULL`];

/**
 * What several services on one database need: parts and leases of the journal, versions in the place of read locks, one
 * open event a rule and device; what could not be handled, set aside; and the joinable spread beside sums.
 */
export const SHARED_WORK = [
  `ALTER TABLE chunks ADD COLUMN IF NOT EXISTS spread DOUBLE NULL AFTER last`,
  ...['series', 'devices', 'claims'].map(
    (table) => `ALTER TABLE ${table} ADD COLUMN IF NOT EXISTS version BIGINT UNSIGNED NOT NULL DEFAULT 0`,
  ),
  `ALTER TABLE journal ADD COLUMN IF NOT EXISTS part SMALLINT UNSIGNED NOT NULL DEFAULT 0 AFTER writer, DROP PRIMARY KEY, ADD PRIMARY KEY (writer, part, seq)`,
  `ALTER TABLE journalOffsets ADD COLUMN IF NOT EXISTS part SMALLINT UNSIGNED NOT NULL DEFAULT 0 AFTER writer, DROP PRIMARY KEY, ADD PRIMARY KEY (reader, writer, part)`,
  `ALTER TABLE journalWriters ADD COLUMN IF NOT EXISTS heartbeatAt DATETIME(3) NULL`,
  `CREATE TABLE IF NOT EXISTS leases (name VARCHAR(40) NOT NULL, part SMALLINT UNSIGNED NOT NULL, holder VARCHAR(60) NOT NULL, epoch BIGINT UNSIGNED NOT NULL,
    until DATETIME(3) NOT NULL, PRIMARY KEY (name, part))`,
  `CREATE TABLE IF NOT EXISTS setAside (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, what VARCHAR(20) NOT NULL, place VARCHAR(80) NOT NULL, reason VARCHAR(300) NOT NULL,
    madeAt BIGINT NOT NULL, body MEDIUMBLOB NULL)`,
  `ALTER TABLE events ADD COLUMN IF NOT EXISTS openKey VARCHAR(24) NULL`,
  `UPDATE events e JOIN (SELECT ruleId, deviceRowId, MAX(id) AS newest FROM events WHERE closedAt IS NULL GROUP BY ruleId, deviceRowId) n
    ON n.ruleId = e.ruleId AND n.deviceRowId = e.deviceRowId SET e.closedAt = e.openedAt WHERE e.closedAt IS NULL AND e.id < n.newest`,
  `UPDATE events SET openKey = CONCAT(ruleId, ':', deviceRowId) WHERE closedAt IS NULL`,
  // Times that a device did not name lie between the milliseconds.
  `ALTER TABLE arrivals ADD COLUMN IF NOT EXISTS rowsAt DOUBLE NULL`,
  ...['texts', 'locations', 'images'].map((table) => `ALTER TABLE ${table} MODIFY at DOUBLE NOT NULL`),
  `ALTER TABLE series MODIFY newestAt DOUBLE NULL`,
  `ALTER TABLE events ADD UNIQUE KEY IF NOT EXISTS oneOpen (openKey), ADD KEY IF NOT EXISTS openOnes (workspaceId, closedAt)`,
];

/** How often something was tried, so that all services on a database count together. */
export const LIMITS = [
  `CREATE TABLE IF NOT EXISTS limits (name VARCHAR(300) PRIMARY KEY, count INT UNSIGNED NOT NULL, until DATETIME(3) NOT NULL, KEY (until))`,
  `CREATE TABLE IF NOT EXISTS firsts (name VARCHAR(40) PRIMARY KEY, userId INT UNSIGNED NOT NULL)`,
];

/** People who were added and have not joined yet: their link works once. */
export const PEOPLE = [
  `CREATE TABLE IF NOT EXISTS invitations (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, name VARCHAR(80) NOT NULL,
    role VARCHAR(10) NOT NULL, secretHash BINARY(32) NOT NULL UNIQUE, createdAt BIGINT NOT NULL, endsAt BIGINT NOT NULL, KEY (workspaceId))`,
  `ALTER TABLE workspaces ADD COLUMN IF NOT EXISTS version BIGINT UNSIGNED NOT NULL DEFAULT 0`,
];

/** Versions of what can be changed, what came of calls that may be repeated, and which arrivals had something refused. */
export const MANNERS = [
  ...['users', 'memberships', 'invitations', 'kinds', 'devices', 'rules'].map(
    (table) => `ALTER TABLE ${table} ADD COLUMN IF NOT EXISTS revision INT UNSIGNED NOT NULL DEFAULT 1`,
  ),
  `CREATE TABLE IF NOT EXISTS repeats (keyHash BINARY(32) PRIMARY KEY, callHash BINARY(32) NOT NULL, state VARCHAR(10) NOT NULL,
    madeAt DATETIME(3) NOT NULL, answer LONGBLOB NULL, KEY (madeAt))`,
  `ALTER TABLE arrivals ADD COLUMN IF NOT EXISTS refused TINYINT(1) NOT NULL DEFAULT 0`,
  `UPDATE arrivals SET refused = 1 WHERE JSON_VALUE(body, '$.refusedCount') > 0`,
  `ALTER TABLE arrivals ADD KEY IF NOT EXISTS refusedOnes (workspaceId, refused, id)`,
];

/**
 * Bulk rows name their series alone, so that deleting or handing over a device touches few rows; what is left of something
 * deleted is marked, and goes in slices. Definitions go with what they belong to.
 */
export const LEFTOVERS = [
  `CREATE TABLE IF NOT EXISTS leftovers (what VARCHAR(10) NOT NULL, id INT UNSIGNED NOT NULL, madeAt BIGINT NOT NULL, PRIMARY KEY (what, id))`,
  `ALTER TABLE events ADD KEY IF NOT EXISTS deviceOnes (deviceRowId)`,
  ...['chunks', 'texts', 'locations', 'images'].map(
    (table) => `ALTER TABLE ${table} DROP COLUMN IF EXISTS workspaceId`,
  ),
  ...(
    [
      ['streams', 'kindId', 'kinds', 'id'],
      ['claims', 'kindId', 'kinds', 'id'],
      ['rules', 'kindId', 'kinds', 'id'],
      ['rules', 'deviceRowId', 'devices', 'rowId'],
      ['deviceTokens', 'deviceRowId', 'devices', 'rowId'],
      ['devicePictures', 'deviceRowId', 'devices', 'rowId'],
      ['calibrations', 'deviceRowId', 'devices', 'rowId'],
      ['calibrations', 'streamId', 'streams', 'id'],
      ['accessKeys', 'deviceRowId', 'devices', 'rowId'],
      ['accessKeys', 'userId', 'users', 'id'],
      ['sessions', 'userId', 'users', 'id'],
      ['memberships', 'userId', 'users', 'id'],
      ...['kinds', 'devices', 'dashboards', 'memberships', 'invitations'].map(
        (table) => [table, 'workspaceId', 'workspaces', 'id'] as const,
      ),
    ] as const
  ).flatMap(([table, column, parent, key]) => [
    // Nobody has ever found a row like this; but what a person made under a lost workspace is kept.
    parent === 'workspaces'
      ? `INSERT IGNORE INTO workspaces (id, title, createdAt) SELECT DISTINCT c.workspaceId, 'Found again', 0 FROM ${table} c LEFT JOIN workspaces p ON p.id = c.workspaceId WHERE p.id IS NULL`
      : `DELETE c FROM ${table} c LEFT JOIN ${parent} p ON p.${key} = c.${column} WHERE c.${column} IS NOT NULL AND p.${key} IS NULL`,
    `ALTER TABLE ${table} ADD CONSTRAINT ${table}_${column} FOREIGN KEY IF NOT EXISTS (${column}) REFERENCES ${parent} (${key}) ON DELETE CASCADE`,
  ]),
];

/** What a rule's condition is set to and whom it alerts, each as its own sort stores it, with a version. */
export const RULE_PARTS = [
  `ALTER TABLE rules ADD COLUMN IF NOT EXISTS sort VARCHAR(20) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS settings TEXT NOT NULL DEFAULT '{}',
    ADD COLUMN IF NOT EXISTS recipients TEXT NOT NULL DEFAULT '[]'`,
  `UPDATE rules SET sort = comparison, settings = IF(comparison = 'raised', JSON_OBJECT('version', 1, 'key', streamKey),
    JSON_OBJECT('version', 1, 'comparison', comparison, 'limit', \`limit\`, 'holdMs', holdMs, 'closeLimit', closeLimit, 'closeHoldMs', closeHoldMs))
    WHERE sort = ''`,
  `UPDATE rules SET recipients = COALESCE((SELECT JSON_ARRAYAGG(JSON_OBJECT('channel', 'email', 'to', e.address, 'version', 1))
    FROM JSON_TABLE(emails, '$[*]' COLUMNS (address VARCHAR(254) PATH '$')) e), '[]') WHERE recipients = '[]' AND emails <> '[]'`,
  `ALTER TABLE rules MODIFY comparison VARCHAR(10) NULL, MODIFY \`limit\` DOUBLE NULL, MODIFY holdMs BIGINT NULL, MODIFY closeHoldMs BIGINT NULL, MODIFY emails TEXT NULL`,
];

/** What the clock of a service showed last, so that the next start knows whether it goes on from there. */
export const CLOCK = [`ALTER TABLE journalWriters ADD COLUMN IF NOT EXISTS clockAt BIGINT NULL`];

/** How long a wanted value holds, and up to when a command is meant. */
export const PRESSES = [
  `ALTER TABLE streams ADD COLUMN IF NOT EXISTS holds VARCHAR(10) NOT NULL DEFAULT 'lasting', ADD COLUMN IF NOT EXISTS timeLimitS INT UNSIGNED NULL`,
  `ALTER TABLE commands ADD COLUMN IF NOT EXISTS until BIGINT NULL, ADD COLUMN IF NOT EXISTS way VARCHAR(10) NULL, ADD KEY IF NOT EXISTS ending (state, until)`,
];

/** What must follow a wanted value. */
export const FOLLOWING = [
  `ALTER TABLE streams ADD COLUMN IF NOT EXISTS follow TEXT NULL`,
  `ALTER TABLE commands MODIFY state VARCHAR(20) NOT NULL, ADD COLUMN IF NOT EXISTS followStreamId INT UNSIGNED NULL, ADD COLUMN IF NOT EXISTS followMin DOUBLE NULL,
    ADD COLUMN IF NOT EXISTS followMax DOUBLE NULL, ADD COLUMN IF NOT EXISTS followS INT UNSIGNED NULL,
    ADD COLUMN IF NOT EXISTS followUntil BIGINT NULL, ADD COLUMN IF NOT EXISTS confirmedAt BIGINT NULL, ADD KEY IF NOT EXISTS following (followUntil)`,
];

/** How a dashboard looks and is found, and what a person chose for themselves. */
export const LOOKS = [
  `ALTER TABLE dashboards ADD COLUMN IF NOT EXISTS look TEXT NOT NULL DEFAULT '{}'`,
  `ALTER TABLE users ADD COLUMN IF NOT EXISTS choices TEXT NOT NULL DEFAULT '{}'`,
];

/** Timetables, by whose clock and sun they run, and notes. */
export const TIMETABLES = [
  `ALTER TABLE workspaces ADD COLUMN IF NOT EXISTS zone VARCHAR(60) NOT NULL DEFAULT 'UTC', ADD COLUMN IF NOT EXISTS lat DOUBLE NULL,
    ADD COLUMN IF NOT EXISTS lon DOUBLE NULL`,
  `CREATE TABLE IF NOT EXISTS timetables (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, deviceRowId INT UNSIGNED NOT NULL,
    streamId INT UNSIGNED NOT NULL, title VARCHAR(80) NOT NULL, times TEXT NOT NULL, catchUp TINYINT(1) NOT NULL, active TINYINT(1) NOT NULL,
    nextAt BIGINT NULL, note VARCHAR(200) NOT NULL, revision INT UNSIGNED NOT NULL DEFAULT 1, KEY due (active, nextAt), KEY (workspaceId),
    CONSTRAINT timetables_device FOREIGN KEY (deviceRowId) REFERENCES devices (rowId) ON DELETE CASCADE,
    CONSTRAINT timetables_stream FOREIGN KEY (streamId) REFERENCES streams (id) ON DELETE CASCADE)`,
  `CREATE TABLE IF NOT EXISTS notes (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, deviceRowId INT UNSIGNED NOT NULL,
    at BIGINT NOT NULL, text VARCHAR(300) NOT NULL, userName VARCHAR(80) NOT NULL, KEY axis (deviceRowId, at), KEY (workspaceId),
    CONSTRAINT notes_device FOREIGN KEY (deviceRowId) REFERENCES devices (rowId) ON DELETE CASCADE)`,
];

/** Rules of many conditions, all that happens to an event, and the ways in which people are reached. */
export const ALERTING = [
  `ALTER TABLE rules ADD COLUMN IF NOT EXISTS label VARCHAR(40) NULL, ADD COLUMN IF NOT EXISTS more TEXT NOT NULL DEFAULT '{}'`,
  `ALTER TABLE events MODIFY value DOUBLE NULL, MODIFY extreme DOUBLE NULL, MODIFY sentence VARCHAR(1000) NOT NULL, ADD COLUMN IF NOT EXISTS remark VARCHAR(300) NOT NULL DEFAULT '',
    ADD COLUMN IF NOT EXISTS remindAt BIGINT NULL, ADD COLUMN IF NOT EXISTS escalateAt BIGINT NULL, ADD COLUMN IF NOT EXISTS closedBy VARCHAR(80) NOT NULL DEFAULT '',
    ADD KEY IF NOT EXISTS reminding (remindAt), ADD KEY IF NOT EXISTS escalating (escalateAt), ADD KEY IF NOT EXISTS openOnes (workspaceId, closedAt)`,
  `ALTER TABLE alerts MODIFY channel VARCHAR(20) NOT NULL, MODIFY state VARCHAR(12) NOT NULL, MODIFY phase VARCHAR(12) NOT NULL, ADD COLUMN IF NOT EXISTS ruleId INT UNSIGNED NULL,
    ADD COLUMN IF NOT EXISTS userId INT UNSIGNED NULL, ADD COLUMN IF NOT EXISTS messageId VARCHAR(60) NULL, ADD COLUMN IF NOT EXISTS queuedAt BIGINT NOT NULL DEFAULT 0,
    ADD KEY IF NOT EXISTS byMessage (messageId), ADD KEY IF NOT EXISTS bounding (ruleId, queuedAt), ADD KEY IF NOT EXISTS reaching (channel, recipient, state)`,
  `CREATE TABLE IF NOT EXISTS alertTries (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, alertId INT UNSIGNED NOT NULL, at BIGINT NOT NULL,
    sent TINYINT(1) NOT NULL, outcome VARCHAR(300) NOT NULL, KEY (alertId))`,
  `CREATE TABLE IF NOT EXISTS alertPaces (channel VARCHAR(20) NOT NULL, recipient VARCHAR(254) NOT NULL, nextAt BIGINT NOT NULL, burst INT UNSIGNED NOT NULL, PRIMARY KEY (channel, recipient))`,
  `CREATE TABLE IF NOT EXISTS alertStops (ruleId INT UNSIGNED NOT NULL, recipient VARCHAR(254) NOT NULL, workspaceId INT UNSIGNED NOT NULL, PRIMARY KEY (ruleId, recipient))`,
  `CREATE TABLE IF NOT EXISTS pushPlaces (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, userId INT UNSIGNED NOT NULL, endpointHash BINARY(32) NOT NULL, endpoint VARCHAR(1000) NOT NULL,
    secrets TEXT NOT NULL, name VARCHAR(80) NOT NULL, createdAt BIGINT NOT NULL, deliveredAt BIGINT NULL, UNIQUE KEY (endpointHash), KEY (userId),
    CONSTRAINT pushPlaces_user FOREIGN KEY (userId) REFERENCES users (id) ON DELETE CASCADE)`,
  `CREATE TABLE IF NOT EXISTS webhooks (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, title VARCHAR(80) NOT NULL, url VARCHAR(500) NOT NULL,
    secret VARCHAR(100) NOT NULL, template TEXT NOT NULL, createdAt BIGINT NOT NULL, revision INT UNSIGNED NOT NULL DEFAULT 1, KEY (workspaceId))`,
  `CREATE TABLE IF NOT EXISTS addresses (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, email VARCHAR(254) NOT NULL,
    askedAt BIGINT NOT NULL, confirmedAt BIGINT NULL, UNIQUE KEY (workspaceId, email))`,
  // Whoever was alerted before addresses were confirmed goes on to be.
  `INSERT IGNORE INTO addresses (workspaceId, email, askedAt, confirmedAt) SELECT r.workspaceId, e.address, 0, 0
    FROM rules r, JSON_TABLE(r.recipients, '$[*]' COLUMNS (address VARCHAR(254) PATH '$.to', channel VARCHAR(20) PATH '$.channel')) e WHERE e.channel = 'email'`,
  `CREATE TABLE IF NOT EXISTS mutes (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, sort VARCHAR(10) NOT NULL, target VARCHAR(40) NOT NULL, until BIGINT NOT NULL,
    madeBy VARCHAR(80) NOT NULL, reason VARCHAR(200) NOT NULL, UNIQUE KEY (workspaceId, sort, target))`,
  `ALTER TABLE users ADD COLUMN IF NOT EXISTS alertChoices TEXT NOT NULL DEFAULT '{}'`,
  `CREATE TABLE IF NOT EXISTS serviceSecrets (name VARCHAR(40) PRIMARY KEY, secret TEXT NOT NULL)`,
];

/** How a table is made, whatever the database says: any letter can be kept, and texts are compared letter by letter. */
export const TABLE_FORM = 'ENGINE=InnoDB DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin';

/** Families of boards are named by how they reach the service and by the language of their programs. */
export const FAMILIES = [
  "UPDATE kinds SET board = 'wifi-cpp' WHERE board = 'wifi-arduino'",
  "UPDATE kinds SET board = 'cellular-cpp' WHERE board = 'cellular-arduino'",
];

/** Units beside the one that is shown: what boards send, and what readings are kept in. */
export const UNITS_BESIDE = [
  'ALTER TABLE streams ADD COLUMN IF NOT EXISTS sentUnit VARCHAR(20) NULL AFTER unit, ADD COLUMN IF NOT EXISTS keptUnit VARCHAR(20) NULL AFTER sentUnit',
  // Who is named in vain is looked up by the name alone.
  'ALTER TABLE devices ADD KEY IF NOT EXISTS byName (id)',
];

/** Built programs of kinds, which their boards fetch. */
export const FIRMWARE = [
  `CREATE TABLE IF NOT EXISTS firmwares (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, kindId INT UNSIGNED NOT NULL,
    version VARCHAR(32) NOT NULL, notes VARCHAR(500) NOT NULL, size INT UNSIGNED NOT NULL, sha256 BINARY(32) NOT NULL, signature VARBINARY(100) NOT NULL,
    userName VARCHAR(80) NOT NULL, madeAt BIGINT NOT NULL, UNIQUE KEY (kindId, version), KEY (workspaceId),
    CONSTRAINT firmwares_kind FOREIGN KEY (kindId) REFERENCES kinds (id) ON DELETE CASCADE)`,
  `CREATE TABLE IF NOT EXISTS firmwareBodies (firmwareId INT UNSIGNED PRIMARY KEY, body LONGBLOB NOT NULL,
    CONSTRAINT firmwareBodies_firmware FOREIGN KEY (firmwareId) REFERENCES firmwares (id) ON DELETE CASCADE)`,
  `CREATE TABLE IF NOT EXISTS firmwareRounds (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, kindId INT UNSIGNED NOT NULL,
    firmwareId INT UNSIGNED NOT NULL, sort VARCHAR(10) NOT NULL, target VARCHAR(40) NOT NULL, percent TINYINT UNSIGNED NOT NULL, mostFailures INT UNSIGNED NOT NULL,
    state VARCHAR(10) NOT NULL, reason VARCHAR(200) NOT NULL, userName VARCHAR(80) NOT NULL, madeAt BIGINT NOT NULL, KEY going (kindId, state), KEY (workspaceId),
    CONSTRAINT firmwareRounds_firmware FOREIGN KEY (firmwareId) REFERENCES firmwares (id) ON DELETE CASCADE)`,
  `CREATE TABLE IF NOT EXISTS firmwareStates (deviceRowId INT UNSIGNED NOT NULL, firmwareId INT UNSIGNED NOT NULL, workspaceId INT UNSIGNED NOT NULL,
    roundId INT UNSIGNED NOT NULL, state VARCHAR(10) NOT NULL, note VARCHAR(200) NOT NULL, bytes INT UNSIGNED NOT NULL, at BIGINT NOT NULL,
    PRIMARY KEY (deviceRowId, firmwareId), KEY ofRound (roundId, state),
    CONSTRAINT firmwareStates_device FOREIGN KEY (deviceRowId) REFERENCES devices (rowId) ON DELETE CASCADE,
    CONSTRAINT firmwareStates_firmware FOREIGN KEY (firmwareId) REFERENCES firmwares (id) ON DELETE CASCADE)`,
  `CREATE TABLE IF NOT EXISTS firmwareKeys (kindId INT UNSIGNED PRIMARY KEY, workspaceId INT UNSIGNED NOT NULL, publicKey TEXT NOT NULL, sealed TEXT NOT NULL,
    KEY (workspaceId), CONSTRAINT firmwareKeys_kind FOREIGN KEY (kindId) REFERENCES kinds (id) ON DELETE CASCADE)`,
];

/** Their bytes in parts, so that a range is read without the rest and none is larger than a statement may be. */
export const FIRMWARE_PARTS = [
  `CREATE TABLE IF NOT EXISTS firmwareParts (firmwareId INT UNSIGNED NOT NULL, part SMALLINT UNSIGNED NOT NULL, body MEDIUMBLOB NOT NULL,
    PRIMARY KEY (firmwareId, part), CONSTRAINT firmwareParts_firmware FOREIGN KEY (firmwareId) REFERENCES firmwares (id) ON DELETE CASCADE)`,
  `INSERT IGNORE INTO firmwareParts (firmwareId, part, body) SELECT b.firmwareId, s.seq, SUBSTRING(b.body, s.seq * 65536 + 1, 65536)
    FROM firmwareBodies b JOIN seq_0_to_127 s ON s.seq * 65536 < LENGTH(b.body)`,
  'DROP TABLE IF EXISTS firmwareBodies',
];

/** Events of a device by their times, so that what was open at some time of a period is found without reading all of them. */
export const EVENT_TIMES = [
  `ALTER TABLE events ADD KEY IF NOT EXISTS itsTimes (deviceRowId, openedAt, closedAt)`,
];
