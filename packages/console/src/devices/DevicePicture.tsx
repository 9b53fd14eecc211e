import { Box, Button } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { useQueryClient } from '@tanstack/react-query';
import { MOST_IMAGE_BYTES } from '@peatmoor/core';
import { readProblem, type Device } from '@peatmoor/contract';
import { under } from '../base';
import { FileButton } from '../parts/FileButton';
import { Notice } from '../parts/Notice';

/** The picture of a device itself: where it stands, how it is wired. */
export function DevicePicture({ device }: { device: Device }): ReactNode {
  const client = useQueryClient();
  const [wrong, setWrong] = useState<string | null>(null);
  const path = under(`/api/devices/${encodeURIComponent(device.id)}/picture`);
  const send = async (method: 'PUT' | 'DELETE', body?: Blob): Promise<void> => {
    setWrong(null);
    const response = await fetch(path, {
      method,
      ...(body && { body, headers: { 'content-type': body.type } }),
    });
    if (!response.ok) setWrong((await readProblem(response)).detail);
    await client.invalidateQueries({ queryKey: ['readDevice'] });
  };
  const choose = (file: File): void => {
    void smaller(file).then(
      (body) => send('PUT', body),
      () => setWrong('This file is not a picture that a browser can read. Choose a JPEG, PNG or WebP.'),
    );
  };
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'flex-end', mt: 3 }}>
      {device.pictureAt !== null && (
        <Box
          component="img"
          src={`${path}?at=${device.pictureAt}`}
          alt={`${device.name}, a picture of it`}
          sx={{ maxWidth: 320, maxHeight: 220, display: 'block' }}
        />
      )}
      <FileButton accept="image/jpeg,image/png,image/webp" onChoose={choose}>
        {device.pictureAt === null ? 'Add a picture of it' : 'Another picture'}
      </FileButton>
      {device.pictureAt !== null && (
        <Button variant="text" onClick={() => void send('DELETE')}>
          Take it away
        </Button>
      )}
      {wrong && <Notice>{wrong}</Notice>}
    </Box>
  );
}

/** A picture that is not too large: as it is, or drawn anew with at most 1600 pixels a side. */
async function smaller(file: File): Promise<Blob> {
  const image = await createImageBitmap(file);
  if (file.size <= MOST_IMAGE_BYTES) return file;
  const scale = Math.min(1, 1600 / Math.max(image.width, image.height));
  const canvas = document.createElement('canvas');
  canvas.width = Math.round(image.width * scale);
  canvas.height = Math.round(image.height * scale);
  canvas.getContext('2d')!.drawImage(image, 0, 0, canvas.width, canvas.height);
  return new Promise((resolve, reject) =>
    canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error('no picture'))), 'image/jpeg', 0.8),
  );
}
