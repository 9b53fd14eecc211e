import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material';
import type { ReactNode } from 'react';

/** What is asked before something that cannot be undone. */
export interface Question {
  title: string;
  /** What will be gone, and what stays. */
  text: ReactNode;
  /** The word on the button that does it. */
  action: string;
}

/** The dialog in which is asked before something that cannot be undone. */
export function QuestionDialog({
  open,
  question,
  onSay,
}: {
  open: boolean;
  question: Question;
  onSay: (yes: boolean) => void;
}): ReactNode {
  return (
    <Dialog open={open} onClose={() => onSay(false)} aria-labelledby="question" maxWidth="xs" fullWidth>
      <DialogTitle id="question">{question.title}</DialogTitle>
      <DialogContent sx={{ overflowWrap: 'anywhere' }}>{question.text}</DialogContent>
      <DialogActions sx={{ px: 3, pb: 2 }}>
        <Button onClick={() => onSay(false)} autoFocus>
          Cancel
        </Button>
        <Button color="error" onClick={() => onSay(true)}>
          {question.action}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
