import { mayDo, type Action } from '@peatmoor/core';
import { useRead } from '../api';

/** Whether whoever is signed in may do something; yes until that is known. */
export function useMay(action: Action): boolean {
  const role = useRead('me').data?.role;
  return role === undefined || mayDo(role, action);
}
