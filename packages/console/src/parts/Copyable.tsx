import { Box, Button } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { ink, MONO } from '../theme';

/** Copies a text; pages over plain HTTP have no clipboard of their own, so a hidden field helps out. */
export async function copyText(text: string): Promise<void> {
  if (navigator.clipboard && window.isSecureContext) return navigator.clipboard.writeText(text);
  const field = document.createElement('textarea');
  field.value = text;
  field.style.position = 'fixed';
  field.style.opacity = '0';
  document.body.append(field);
  field.select();
  document.execCommand('copy');
  field.remove();
}

export function downloadText(name: string, text: string): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type: 'text/plain' }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}

export function CopyButton({ text, label = 'Copy' }: { text: string; label?: string }): ReactNode {
  const [copied, setCopied] = useState(false);
  const copy = (): void => {
    void copyText(text).then(() => {
      setCopied(true);
      setTimeout(() => setCopied(false), 2000);
    });
  };
  return (
    <Button size="small" onClick={copy}>
      {copied ? 'Copied' : label}
    </Button>
  );
}

/** A text to copy, in the mono face, with its buttons. */
export function Copyable({ text, label, file }: { text: string; label?: string; file?: string }): ReactNode {
  return (
    <Box sx={{ my: 1.5 }}>
      {label && <Box sx={{ fontSize: '0.9rem', color: ink.soft, mb: 0.5 }}>{label}</Box>}
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'flex-start', flexWrap: { xs: 'wrap', sm: 'nowrap' } }}>
        <Box
          component="pre"
          tabIndex={0}
          sx={{
            m: 0,
            flex: '1 1 200px',
            minWidth: 0,
            fontFamily: MONO,
            fontSize: '0.85rem',
            whiteSpace: 'pre-wrap',
            overflowWrap: 'anywhere',
            bgcolor: ink.faint,
            px: 1.5,
            py: 1,
            maxHeight: 420,
            overflow: 'auto',
          }}
        >
          {text}
        </Box>
        <Box sx={{ display: 'flex', gap: 1 }}>
          <CopyButton text={text} />
          {file && (
            <Button size="small" onClick={() => downloadText(file, text)}>
              Download
            </Button>
          )}
        </Box>
      </Box>
    </Box>
  );
}
