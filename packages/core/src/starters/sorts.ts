import { cppStarter } from './cpp';
import { pythonStarter } from './python';
import type { StarterFile, StarterPlan } from './plan';

/** The sorts of starter programs there are. */
export const STARTERS = {
  cpp: { title: 'C++ for Wi-Fi boards (MQTT)', make: cppStarter },
  python: { title: 'Python on a small computer (MQTT)', make: pythonStarter },
} as const satisfies Record<string, { title: string; make: (plan: StarterPlan) => StarterFile[] }>;

export type StarterSort = keyof typeof STARTERS;
export const STARTER_SORTS = Object.keys(STARTERS) as StarterSort[];
