import '../locale';
import { array, boolean, number, object, string, type InferType } from 'yup';

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

/** A service on the database, as it says of itself. */
export const nodeSchema = object({
  id: number().required(),
  /** The machine, and the process on it. */
  name: string().required(),
  version: string().required(),
  address: string().defined(),
  startedAt: number().required(),
  /** How long ago it gave a sign of life, in ms. */
  silentMs: number().required(),
  /** Whether it still counts as there. */
  alive: boolean().required(),
  /** It was told to stop, and takes nothing new. */
  draining: boolean().required(),
  sessions: number().required(),
  pages: number().required(),
  /** Readings it has taken since it started. */
  readings: number().required(),
  /** Bytes of memory. */
  memory: number().required(),
  /** What of the work behind readings is done there: rules, computing, folding. */
  does: array(string().required()).required(),
  /** How far the clock of its computer is ahead of the database's, in ms; left out by older versions. */
  clockMs: number().integer(),
});
export type Node = InferType<typeof nodeSchema>;
export const nodesSchema = array(nodeSchema).required();
