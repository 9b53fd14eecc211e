import * as commands from '../schemas/commands';
import * as interlocks from '../schemas/interlocks';
import * as devices from '../schemas/devices';
import * as paging from '../schemas/paging';
import { endpoint, type Query } from './endpoint';
import type { KindIn } from './kinds';

export type DeviceIn = {
  name: string;
  id?: string;
  kindId?: number;
  newKind?: KindIn;
  labels?: string[];
  gateway?: string;
  serial?: string;
};

/** Devices, their tokens, arrivals and commands. */
export const devicesEndpoints = {
  listDevices: endpoint<devices.Device[], undefined, Query<paging.DevicesQuery>>(
    'GET /api/devices',
    'shown',
    'Devices with presence and newest readings',
    { query: paging.devicesQuerySchema, pages: 'all', answer: devices.devicesSchema },
  ),
  createDevice: endpoint<devices.MadeDevice, DeviceIn>(
    'POST /api/devices',
    'change',
    'Register a device; its token is shown once',
    { body: devices.newDeviceSchema, answer: devices.madeDeviceSchema },
  ),
  createDevices: endpoint<devices.MadeMany, { csv: string }>(
    'POST /api/devices/many',
    'change',
    'Register many devices from CSV, all or none; their tokens are shown once',
    { body: devices.manyDevicesSchema, answer: devices.madeManySchema },
  ),
  readDevice: endpoint<devices.Device>('GET /api/devices/:device', 'shown', 'One device', {
    versioned: 'device',
    answer: devices.deviceSchema,
  }),
  changeDevice: endpoint<devices.Device, devices.DeviceChange>(
    'PATCH /api/devices/:device',
    'change',
    'Change name, labels, place or notes of a device',
    { body: devices.deviceChangeSchema, versioned: 'device', answer: devices.deviceSchema },
  ),
  deleteDevice: endpoint<void>('DELETE /api/devices/:device', 'change', 'Delete a device with its readings', {
    versioned: 'device',
  }),
  listTokens: endpoint<devices.DeviceToken[], undefined, Query<paging.TokensQuery>>(
    'GET /api/devices/:device/tokens',
    'look',
    'Tokens of a device, by fingerprint',
    { query: paging.tokensQuerySchema, pages: 'all', answer: devices.tokensSchema },
  ),
  createToken: endpoint<devices.MadeToken, { title?: string }>(
    'POST /api/devices/:device/tokens',
    'change',
    'Make another token; shown once',
    { body: devices.newTokenSchema, answer: devices.madeTokenSchema },
  ),
  withdrawToken: endpoint<void>('DELETE /api/devices/:device/tokens/:token', 'change', 'Withdraw a token'),
  whoseToken: endpoint<devices.TokenOwner, { text: string }>(
    'POST /api/tokens/whose',
    'look',
    'Tell device and state of a pasted token',
    { looks: true, body: devices.whoseTokenSchema, answer: devices.tokenOwnerSchema },
  ),
  listArrivals: endpoint<devices.Arrival[], undefined, Query<paging.ArrivalsQuery>>(
    'GET /api/devices/:device/arrivals',
    'look',
    'Messages of a device, newest first',
    { query: paging.arrivalsQuerySchema, pages: 'newest', answer: devices.arrivalsSchema },
  ),
  listAllArrivals: endpoint<devices.Arrival[], undefined, Query<paging.ArrivalsQuery>>(
    'GET /api/arrivals',
    'look',
    'Messages of all devices, newest first',
    { query: paging.arrivalsQuerySchema, pages: 'newest', answer: devices.arrivalsSchema },
  ),
  retake: endpoint<devices.Retaken>(
    'POST /api/devices/:device/retake',
    'change',
    'Take the refused messages that are kept once more, now that their cause is mended',
    { answer: devices.retakenSchema },
  ),
  reportByHand: endpoint<devices.ReportAnswer, { values: Record<string, unknown> }>(
    'POST /api/devices/:device/report',
    'change',
    'Report as the device would',
    { body: devices.reportByHandSchema, answer: devices.reportAnswerSchema },
  ),
  createCommand: endpoint<
    commands.Command,
    { stream: string; value: number | boolean | string; until?: number; at?: number }
  >('POST /api/devices/:device/commands', 'operate', 'Want a value on a control datastream', {
    body: commands.newCommandSchema,
    answer: commands.commandSchema,
  }),
  listCommands: endpoint<commands.Command[], undefined, Query<paging.CommandsQuery>>(
    'GET /api/devices/:device/commands',
    'follow',
    'The newest command of each control, and the last hundred',
    { query: paging.commandsQuerySchema, pages: 'newest', answer: commands.commandsSchema },
  ),
  listInterlocks: endpoint<interlocks.InterlocksOf[]>(
    'GET /api/devices/:device/interlocks',
    'look',
    'Rules that hold controls of a device while their events are open, in their order',
    { answer: interlocks.interlocksSchema },
  ),
  overrideInterlocks: endpoint<interlocks.InterlocksOf, { stream: string; minutes?: number }>(
    'POST /api/devices/:device/override',
    'operate',
    'Override what holds a control, for some minutes',
    { body: interlocks.overrideSchema, answer: interlocks.interlocksOfSchema },
  ),
  endOverride: endpoint<interlocks.InterlocksOf>(
    'DELETE /api/devices/:device/override/:stream',
    'operate',
    'End an override before its time',
    { answer: interlocks.interlocksOfSchema },
  ),
  readCommand: endpoint<commands.Command>('GET /api/commands/:command', 'follow', 'One command', {
    answer: commands.commandSchema,
  }),
};
