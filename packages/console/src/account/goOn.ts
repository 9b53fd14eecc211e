import { under } from '../base';
import { useChange } from '../api';
import { forgetAnswers } from '../parts/answers';

/** Goes on in another of one's workspaces. Everything on the page, and what this browser keeps of it, is of the one before: it begins anew. */
export function useGoOn(): { choose: (id: number, path?: string) => void; make: () => void; busy: boolean } {
  const choose = useChange('chooseWorkspace');
  const make = useChange('createWorkspace');
  const anew = (path = '/') => ({
    onSuccess: () => {
      void forgetAnswers().finally(() => location.assign(under(path)));
    },
  });
  return {
    choose: (id, path) => choose.mutate({ body: { id } }, anew(path)),
    make: () => make.mutate({ body: { title: 'New workspace' } }, anew()),
    busy: choose.isPending || make.isPending,
  };
}
