import { Box } from '@mui/material';
import { toString as toQr } from 'qrcode';
import { useEffect, useState, type ReactNode } from 'react';

/** A text as a QR code, dark on light in every colour scheme, so that any camera reads it. */
export function QrCode({ text, label }: { text: string; label: string }): ReactNode {
  const [picture, setPicture] = useState('');
  useEffect(() => {
    let current = true;
    void toQr(text, { type: 'svg', margin: 2, errorCorrectionLevel: 'M' }).then((svg) => {
      if (current) setPicture(`data:image/svg+xml,${encodeURIComponent(svg)}`);
    });
    return () => {
      current = false;
    };
  }, [text]);
  if (picture === '') return null;
  return <Box component="img" src={picture} alt={label} sx={{ width: 180, height: 180, display: 'block' }} />;
}
