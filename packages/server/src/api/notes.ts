import { AHEAD_MS } from '@peatmoor/core';
import type { Note } from '@peatmoor/contract';
import { Op, type WhereOptions } from 'sequelize';
import { now as clockNow } from '../clock';
import { notFound, wrongField } from '../problems';
import type { NoteRow } from '../store/models';
import { addTo, deleteIn, oneIn } from '../store/rows';
import { deviceOf, numberOf, type ApiParts, type Handlers } from './context';
import { pageIn } from './pages';
import type { Scope } from './scope';

type NoteHandlers = Pick<Handlers, 'listNotes' | 'createNote' | 'deleteNote'>;

/** Remarks at times on the time axis of a device. */
export function noteHandlers(parts: ApiParts): NoteHandlers {
  const { store, bus, registry } = parts;
  const { notes } = store.models;
  const changed = (scope: Scope, id: string): void =>
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'notes', id, by: scope.userName },
    });
  return {
    listNotes: async (call) => {
      const { scope, params, query } = call;
      const entry = await deviceOf(parts, scope, params.device);
      const at = {
        ...(query.from !== undefined && { [Op.gte]: Number(query.from) }),
        ...(query.to !== undefined && { [Op.lt]: Number(query.to) }),
      };
      const isBounded = Object.getOwnPropertySymbols(at).length > 0;
      const rows = await pageIn(notes, scope.workspaceId, call, {
        where: { deviceRowId: entry.rowId, ...(isBounded && { at }) } as WhereOptions<NoteRow>,
        by: 'at',
        id: 'id',
        direction: 'DESC',
      });
      return rows.map((row) => toNote(row, entry.id));
    },
    createNote: async ({ scope, params, body }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const now = clockNow();
      const { at = now, text } = body;
      if (at > now + AHEAD_MS)
        throw wrongField('at', 'lies ahead', 'A note is about something that was; choose a time up to now.');
      const row = await addTo(notes, scope.workspaceId, {
        deviceRowId: entry.rowId,
        at,
        text,
        userName: scope.userName,
      });
      changed(scope, entry.id);
      return toNote(row, entry.id);
    },
    deleteNote: async ({ scope, params }) => {
      const row = await oneIn(notes, scope.workspaceId, { id: numberOf(params.note, 'note') });
      const entry = row === null ? null : await registry.byRow(row.deviceRowId);
      if (row === null || entry === null) throw notFound('note', params.note ?? '');
      await deleteIn(notes, scope.workspaceId, { id: row.id });
      changed(scope, entry.id);
    },
  };
}

const toNote = ({ id, at, text, userName }: NoteRow, deviceId: string): Note => ({
  id,
  deviceId,
  at,
  text,
  by: userName,
});
