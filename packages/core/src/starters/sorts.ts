import { cppStarter } from './cpp';
import { cppCellularStarter } from './cppCellular';
import { cppHttpStarter } from './cppHttp';
import { microPythonStarter } from './micropython';
import { nodeStarter } from './node';
import { pythonStarter } from './python';
import { shellStarter } from './shell';
import type { StarterFile, StarterPlan } from './plan';

/** The sorts of starter programs there are. */
export const STARTERS = {
  cpp: { title: 'C++ for Wi-Fi boards (MQTT)', make: cppStarter },
  'cpp-http': { title: 'C++ for Wi-Fi boards (HTTP)', make: cppHttpStarter },
  'cpp-cellular': { title: 'C++ for cellular boards (MQTT)', make: cppCellularStarter },
  micropython: { title: 'MicroPython (MQTT)', make: microPythonStarter },
  python: { title: 'Python on a small computer (MQTT)', make: pythonStarter },
  node: { title: 'Node on a small computer or as a gateway (HTTP)', make: nodeStarter },
  shell: { title: 'Shell with curl (HTTP)', make: shellStarter },
} as const satisfies Record<string, { title: string; make: (plan: StarterPlan) => StarterFile[] }>;

export type StarterSort = keyof typeof STARTERS;
export const STARTER_SORTS = Object.keys(STARTERS) as StarterSort[];

/** The starter that fits a board family best. */
export function sortFor(board: string): StarterSort {
  const fits: Record<string, StarterSort> = {
    'cellular-cpp': 'cpp-cellular',
    micropython: 'micropython',
    'small-computer': 'python',
  };
  return fits[board] ?? 'cpp';
}
