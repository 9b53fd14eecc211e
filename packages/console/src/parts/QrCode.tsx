import { Box } from '@mui/material';
import { useEffect, useState, type ReactNode } from 'react';
import { untilFetched } from './later';

/** A text as a QR code, dark on light in every colour scheme, so that any camera reads it. */
export function QrCode({ text, label }: { text: string; label: string }): ReactNode {
  const [picture, setPicture] = useState('');
  useEffect(() => {
    let current = true;
    void untilFetched(() => import('qrcode')).then(async ({ toString: toQr }) => {
      const svg = await toQr(text, { type: 'svg', margin: 2, errorCorrectionLevel: 'M' });
      if (current) setPicture(`data:image/svg+xml,${encodeURIComponent(svg)}`);
    });
    return () => {
      current = false;
    };
  }, [text]);
  const size = { width: 180, height: 180, display: 'block' };
  if (picture === '') return <Box sx={size} />;
  return <Box component="img" src={picture} alt={label} sx={size} />;
}
