import * as firmware from '../schemas/firmware';
import { endpoint } from './endpoint';

/** Programs of a kind that its boards fetch. The file itself is put as bytes, beside these. */
export const firmwareEndpoints = {
  listFirmware: endpoint<firmware.Firmware[]>(
    'GET /api/kinds/:kind/firmware',
    'look',
    'Built programs of a kind, the newest first',
    { answer: firmware.firmwaresSchema },
  ),
  deleteFirmware: endpoint<void>(
    'DELETE /api/kinds/:kind/firmware/:version',
    'change',
    'Delete a built program; boards that run it go on',
  ),
  readFirmwareKey: endpoint<firmware.FirmwareKey>(
    'GET /api/kinds/:kind/firmware-key',
    'look',
    'The public half of the key with which programs of a kind are signed',
    { answer: firmware.firmwareKeySchema },
  ),
  listRounds: endpoint<firmware.Round[]>(
    'GET /api/kinds/:kind/rounds',
    'look',
    'Which program was given to whom, and how far each board has come; the newest first',
    { answer: firmware.roundsSchema },
  ),
  createRound: endpoint<firmware.Round, Pick<firmware.NewRound, 'version'> & Partial<firmware.NewRound>>(
    'POST /api/kinds/:kind/rounds',
    'change',
    'Give a program to devices',
    {
      body: firmware.newRoundSchema,
      answer: firmware.roundSchema,
    },
  ),
  changeRound: endpoint<firmware.Round, { percent?: number; state?: 'going' | 'stopped' }>(
    'PATCH /api/kinds/:kind/rounds/:round',
    'change',
    'Give it to more of them, stop it, or let it go on',
    { body: firmware.roundChangeSchema, answer: firmware.roundSchema },
  ),
};
