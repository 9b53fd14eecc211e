import { Box, Button, TextField, type TextFieldProps } from '@mui/material';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { mayPass } from './again';
import { problemAt, sentence } from './problems';

/** How soon what could not be kept is tried again, in ms. */
const AGAIN_MS = 5000;

/**
 * A field that is kept when it is left. What is typed stays until it is kept, whatever else is kept meanwhile; what somebody else makes
 * of it is offered beside it; and what could not be kept as nobody answered is tried again by itself.
 */
export function KeptField({
  name,
  value,
  save,
  helperText,
  ...rest
}: Omit<TextFieldProps, 'value' | 'onChange' | 'onBlur' | 'name' | 'defaultValue' | 'error' | 'select'> & {
  /** Of what is sent, as the service names it. */
  name: string;
  /** As it stands on the service. */
  value: string;
  /** Keeps what was typed; throws with what is wrong. */
  save: (text: string) => Promise<unknown>;
}): ReactNode {
  /** What was typed, and what stood there when that began; null for nothing. */
  const [mine, setMine] = useState<{ text: string; from: string } | null>(null);
  const [error, setError] = useState<Error | null>(null);
  const saving = useRef(false);
  const waits = error !== null && mayPass(error);
  const keep = async (text: string): Promise<void> => {
    if (saving.current) return;
    saving.current = true;
    try {
      await save(text);
      setError(null);
      setMine((now) => (now?.text === text ? null : now));
    } catch (failure) {
      setError(failure as Error);
    } finally {
      saving.current = false;
    }
  };
  const again = useRef(keep);
  useEffect(() => {
    again.current = keep;
  });
  const text = mine?.text;
  useEffect(() => {
    if (!waits || text === undefined) return undefined;
    const timer = setInterval(() => void again.current(text), AGAIN_MS);
    return () => clearInterval(timer);
  }, [waits, text]);
  const problem = problemAt(error, name) ?? problemAt(error, `body.${name}`);
  const beneath = mine !== null && value !== mine.from && value.trim() !== mine.text.trim();
  const said = waits
    ? 'Not kept yet: it is tried again until the service answers.'
    : problem !== undefined
      ? sentence(problem.reason, problem.remedy)
      : (error?.message ?? null);
  return (
    <Box sx={{ minWidth: 0, gridColumn: (rest.sx as { gridColumn?: string } | undefined)?.gridColumn }}>
      <TextField
        {...rest}
        fullWidth
        value={mine?.text ?? value}
        onChange={({ target }) => {
          setMine((now) => ({ text: target.value, from: now?.from ?? value }));
          if (!waits) setError(null);
        }}
        onBlur={() => {
          if (mine === null) return;
          if (mine.text.trim() === value.trim()) {
            setMine(null);
            setError(null);
          } else void keep(mine.text);
        }}
        error={said !== null}
        helperText={said ?? helperText}
      />
      {beneath && (
        <Box role="status" sx={{ fontSize: '0.9rem', overflowWrap: 'anywhere' }}>
          Somebody made it “{value}” meanwhile.{' '}
          <Button
            variant="text"
            size="small"
            // Before the field is left, which would keep what was typed.
            onMouseDown={(event) => event.preventDefault()}
            onClick={() => (setMine(null), setError(null))}
          >
            Take that
          </Button>
        </Box>
      )}
    </Box>
  );
}
