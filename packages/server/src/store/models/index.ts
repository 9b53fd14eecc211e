import type { Sequelize } from 'sequelize';
import type { Define } from './columns';
import { defineDevices } from './devices';
import { defineFirmware } from './firmware';
import { definePeople } from './people';
import { defineReadings } from './readings';
import { defineSharing } from './sharing';
import { defineTimetables } from './timetables';
import { defineWatching } from './watching';

export type { Table } from './columns';
export type * from './devices';
export type * from './firmware';
export type * from './people';
export type * from './readings';
export type * from './sharing';
export type * from './timetables';
export type * from './watching';

/** Sequelize models of all tables that are not on the hot path. */
export function defineModels(sequelize: Sequelize) {
  const table: Define = (name, columns) =>
    sequelize.define(name, columns as never, { tableName: name, timestamps: false }) as never;
  return {
    ...definePeople(table),
    ...defineDevices(table),
    ...defineFirmware(table),
    ...defineReadings(table),
    ...defineWatching(table),
    ...defineTimetables(table),
    ...defineSharing(table),
  };
}

export type Models = ReturnType<typeof defineModels>;
