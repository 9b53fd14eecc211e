import * as notes from '../schemas/notes';
import * as paging from '../schemas/paging';
import * as timetables from '../schemas/timetables';
import { endpoint, type Query } from './endpoint';

export type TimetableIn = Pick<timetables.NewTimetable, 'title' | 'stream' | 'times'> &
  Partial<timetables.NewTimetable>;

/** Timetables, and notes. */
export const steeringEndpoints = {
  listTimetables: endpoint<timetables.Timetable[], undefined, Query<paging.TimetablesQuery>>(
    'GET /api/timetables',
    'look',
    'Timetables: set times at which the service wants values of controls',
    { query: paging.timetablesQuerySchema, pages: 'all', answer: timetables.timetablesSchema },
  ),
  createTimetable: endpoint<timetables.Timetable, TimetableIn>(
    'POST /api/devices/:device/timetables',
    'change',
    'Make a timetable for a control of a device',
    { body: timetables.newTimetableSchema, answer: timetables.timetableSchema },
  ),
  readTimetable: endpoint<timetables.Timetable>('GET /api/timetables/:timetable', 'look', 'One timetable', {
    versioned: 'timetable',
    answer: timetables.timetableSchema,
  }),
  changeTimetable: endpoint<timetables.Timetable, TimetableIn>(
    'PUT /api/timetables/:timetable',
    'change',
    'Change a timetable',
    { body: timetables.newTimetableSchema, versioned: 'timetable', answer: timetables.timetableSchema },
  ),
  deleteTimetable: endpoint<void>('DELETE /api/timetables/:timetable', 'change', 'Delete a timetable', {
    versioned: 'timetable',
  }),
  listNotes: endpoint<notes.Note[], undefined, Query<paging.NotesQuery>>(
    'GET /api/devices/:device/notes',
    'look',
    'Notes on the time axis of a device, the newest first',
    { query: paging.notesQuerySchema, pages: 'newest', answer: notes.notesSchema },
  ),
  createNote: endpoint<notes.Note, notes.NewNote>(
    'POST /api/devices/:device/notes',
    'steer',
    'Write a note at a time: "sensor cleaned"',
    { body: notes.newNoteSchema, answer: notes.noteSchema },
  ),
  deleteNote: endpoint<void>('DELETE /api/notes/:note', 'steer', 'Delete a note'),
};
