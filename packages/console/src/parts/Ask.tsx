import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material';
import { createContext, use, useRef, useState, type ReactNode } from 'react';

/** What is asked before something that cannot be undone. */
export interface Question {
  title: string;
  /** What will be gone, and what stays. */
  text: ReactNode;
  /** The word on the button that does it. */
  action: string;
}

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
      <Dialog open={open} onClose={() => say(false)} aria-labelledby="question" maxWidth="xs" fullWidth>
        <DialogTitle id="question">{question?.title}</DialogTitle>
        <DialogContent sx={{ overflowWrap: 'anywhere' }}>{question?.text}</DialogContent>
        <DialogActions sx={{ px: 3, pb: 2 }}>
          <Button onClick={() => say(false)} autoFocus>
            Leave it
          </Button>
          <Button color="error" onClick={() => say(true)}>
            {question?.action}
          </Button>
        </DialogActions>
      </Dialog>
    </AskContext>
  );
}
