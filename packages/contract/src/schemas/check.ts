import '../locale';
import { array, object, string, type InferType } from 'yup';

/** What was looked at, whether it is good, what was found, and what to do where it is not. */
export const findingSchema = object({
  what: string().required(),
  state: string()
    .oneOf(['good', 'look', 'bad'] as const)
    .required(),
  found: string().required(),
  /** Empty where nothing is to be done. */
  remedy: string().defined(),
});
export type Finding = InferType<typeof findingSchema>;
export const findingsSchema = array(findingSchema).required();
export const checkSchema = object({ findings: findingsSchema });
export type Check = InferType<typeof checkSchema>;
