import { mayDo, type Action } from '@peatmoor/core';
import { useRead } from '../api';
import { isVisitor, VISITOR } from '../visitor';

/** Whether whoever is signed in may do something; yes until that is known. */
export function useMay(action: Action): boolean {
  const known = useRead('me').data?.role;
  const role = isVisitor ? VISITOR.role : known;
  return role === undefined || mayDo(role, action);
}
