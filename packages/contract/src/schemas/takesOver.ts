import { object, string, type InferType } from 'yup';

/** Who takes over event rules that would tell nobody any more: the ID of a person, or `nobody`. */
export const takesOver = string().matches(
  /^(person-\d{1,9}|nobody)$/,
  'must be the ID of a person, or "nobody"',
);
export const takesOverQuerySchema = object({ takesOver }).noUnknown();
export type TakesOverQuery = InferType<typeof takesOverQuerySchema>;
