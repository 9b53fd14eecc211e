import { Box, MenuItem, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { widgetFits, type WidgetSource, type WidgetType } from '@peatmoor/core';
import type { Catalogue } from './useCatalogue';

const CHOSEN = '*';

/** What a widget shows: device and datastream of each of its sources. One whose device or datastream is gone is given another. */
export function SourceFields({
  sources,
  type,
  catalogue,
  kindId,
  onChange,
}: {
  sources: WidgetSource[];
  type: WidgetType;
  catalogue: Catalogue;
  kindId: number | null;
  onChange: (sources: WidgetSource[]) => void;
}): ReactNode {
  const streamsOf = (device: string | null) =>
    catalogue.kinds
      .find(
        ({ id }) =>
          id === (device === null ? kindId : catalogue.devices.find((one) => one.id === device)?.kindId),
      )
      ?.streams.filter((stream) => widgetFits(type, stream)) ?? [];
  const put = (place: number, next: WidgetSource): void =>
    onChange(sources.map((one, i) => (i === place ? next : one)));
  return sources.map((source, i) => {
    const streams = streamsOf(source.device);
    const stream = streams.find(
      ({ key, aliases }) => key === source.stream || aliases.includes(source.stream),
    );
    const isThere = source.device === null || catalogue.devices.some(({ id }) => id === source.device);
    const which = sources.length > 1 ? ` ${i + 1}` : '';
    return (
      <Box key={i} sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 2 }}>
        <TextField
          select
          label={`Device${which}`}
          value={source.device === null ? CHOSEN : isThere ? source.device : ''}
          error={!isThere}
          helperText={isThere ? undefined : `“${source.device}” is gone. Choose another.`}
          onChange={({ target }) => {
            const device = target.value === CHOSEN ? null : target.value;
            const there = streamsOf(device);
            const key = there.find((one) => one.key === source.stream)?.key ?? there[0]?.key ?? source.stream;
            put(i, { device, stream: key });
          }}
        >
          {(kindId !== null || source.device === null) && (
            <MenuItem value={CHOSEN}>the chosen device</MenuItem>
          )}
          {catalogue.devices.map(({ id, name }) => (
            <MenuItem key={id} value={id}>
              {name}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label={`Datastream${which}`}
          value={stream?.key ?? ''}
          error={stream === undefined}
          helperText={
            stream === undefined && isThere ? `“${source.stream}” is gone. Choose another.` : undefined
          }
          onChange={({ target }) => put(i, { device: source.device, stream: target.value })}
        >
          {streams.map(({ key, title }) => (
            <MenuItem key={key} value={key}>
              {title}
            </MenuItem>
          ))}
        </TextField>
      </Box>
    );
  });
}
