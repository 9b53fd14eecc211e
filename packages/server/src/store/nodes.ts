/** Several services on one database: who they are, what they tell each other, and which holds the connection of which device. */
export const NODES = [
  `CREATE TABLE IF NOT EXISTS nodes (id INT UNSIGNED PRIMARY KEY, name VARCHAR(80) NOT NULL, version VARCHAR(20) NOT NULL, address VARCHAR(200) NOT NULL,
    startedAt BIGINT NOT NULL, heartbeatAt DATETIME(3) NOT NULL, draining BOOLEAN NOT NULL DEFAULT FALSE, state TEXT NOT NULL)`,
  `CREATE TABLE IF NOT EXISTS news (id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY, node INT UNSIGNED NOT NULL, at DATETIME(3) NOT NULL, name VARCHAR(20) NOT NULL, body MEDIUMTEXT NOT NULL, KEY (at))`,
  `CREATE TABLE IF NOT EXISTS connections (node INT UNSIGNED NOT NULL, deviceRowId INT UNSIGNED NOT NULL, PRIMARY KEY (node, deviceRowId))`,
  // Subscriptions of boards that connect without "clean session", so that they go on wherever the board comes next.
  `CREATE TABLE IF NOT EXISTS lastingSessions (deviceRowId INT UNSIGNED NOT NULL, client VARCHAR(220) NOT NULL, filters TEXT NOT NULL, at DATETIME(3) NOT NULL, PRIMARY KEY (deviceRowId, client),
    CONSTRAINT lastingSessions_device FOREIGN KEY (deviceRowId) REFERENCES devices (rowId) ON DELETE CASCADE)`,
];

/** What is fixed when the database is made. */
export const SHAPE = [
  'CREATE TABLE IF NOT EXISTS shape (name VARCHAR(40) PRIMARY KEY, value VARCHAR(200) NOT NULL)',
];

/** QoS 2 messages of sessions that outlast their connection: taken, and not released yet. */
export const OPEN_NUMBERS = [
  `CREATE TABLE IF NOT EXISTS openNumbers (deviceRowId INT UNSIGNED NOT NULL, client VARCHAR(220) NOT NULL, number SMALLINT UNSIGNED NOT NULL, PRIMARY KEY (deviceRowId, client, number),
    CONSTRAINT openNumbers_session FOREIGN KEY (deviceRowId, client) REFERENCES lastingSessions (deviceRowId, client) ON DELETE CASCADE)`,
];
