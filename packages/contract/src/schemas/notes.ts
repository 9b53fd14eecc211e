import '../locale';
import { array, number, object, string, type InferType } from 'yup';
import { LONGEST_REMARK } from '../known';

export const newNoteSchema = object({
  /** When it was, epoch ms; now where nothing is said. */
  at: number().integer().min(0).max(8.64e15).optional(),
  text: string().trim().min(1).max(LONGEST_REMARK).required(),
}).noUnknown();
export type NewNote = InferType<typeof newNoteSchema>;

export const noteSchema = object({
  id: number().required(),
  deviceId: string().required(),
  at: number().required(),
  text: string().required(),
  by: string().defined(),
});
/** A remark at a time on a device's time axis. */
export type Note = InferType<typeof noteSchema>;
export const notesSchema = array(noteSchema).required();
