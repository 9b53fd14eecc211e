import { Button, type ButtonProps } from '@mui/material';
import { useRef, type ReactNode } from 'react';

/** A button with which a file is chosen; the same one can be chosen again. */
export function FileButton({
  accept,
  onChoose,
  ...button
}: Omit<ButtonProps, 'onClick'> & { accept: string; onChoose: (file: File) => void }): ReactNode {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button {...button} onClick={() => input.current?.click()} />
      <input
        ref={input}
        type="file"
        accept={accept}
        hidden
        onChange={({ target }) => {
          const file = target.files?.[0];
          if (file !== undefined) onChoose(file);
          target.value = '';
        }}
      />
    </>
  );
}
