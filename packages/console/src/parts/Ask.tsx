import { createContext, Suspense, use, useRef, useState, type ReactNode } from 'react';
import { later } from './later';
import type { Question } from './QuestionDialog';

const QuestionDialog = later(() => import('./QuestionDialog'), 'QuestionDialog');

const AskContext = createContext<(question: Question) => Promise<boolean>>(() => Promise.resolve(false));

/** Asks before something that cannot be undone; true where it was said yes to. */
export const useAsk = (): ((question: Question) => Promise<boolean>) => use(AskContext);

/** The one dialog in which such questions are asked. */
export function AskProvider({ children }: { children: ReactNode }): ReactNode {
  const [question, setQuestion] = useState<Question | null>(null);
  const [open, setOpen] = useState(false);
  const answer = useRef<(yes: boolean) => void>(() => undefined);
  const ask = (next: Question): Promise<boolean> => {
    answer.current(false);
    setQuestion(next);
    setOpen(true);
    return new Promise((resolve) => (answer.current = resolve));
  };
  const say = (yes: boolean): void => {
    setOpen(false);
    answer.current(yes);
  };
  return (
    <AskContext value={ask}>
      {children}
      {question !== null && (
        <Suspense>
          <QuestionDialog open={open} question={question} onSay={say} />
        </Suspense>
      )}
    </AskContext>
  );
}
