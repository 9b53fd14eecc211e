import { Box, Checkbox, FormControlLabel, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { counted } from '@peatmoor/core';
import type { Catalogue } from '../dashboards/useCatalogue';
import { FindField } from '../parts/FindField';
import { ink } from '../theme';

/** Chooses what is looked back at: datastreams of devices that are found, each by itself or one of all of them. */
export function SourceChoice({
  catalogue,
  chosen,
  most,
  onChoose: put,
}: {
  catalogue: Catalogue;
  /** `device/datastream` of each. */
  chosen: ReadonlySet<string>;
  /** How many can be looked at at once. */
  most: number;
  onChoose: (chosen: Set<string>) => void;
}): ReactNode {
  const [search, setSearch] = useState('');
  const found = devicesFound(catalogue, search);
  const shared = search.trim() === '' ? [] : sharedBy(found);
  const toggle = (name: string): void => {
    const next = new Set(chosen);
    if (!next.delete(name)) next.add(name);
    put(next);
  };
  return (
    <>
      <FindField
        label="Find a device, a kind or a label"
        value={search}
        onFind={setSearch}
        sx={{ maxWidth: 320, my: 2 }}
      />
      {chosen.size >= most && (
        <Typography color="textSecondary">
          {counted(most, 'datastream')} are looked at at once, at the most.
        </Typography>
      )}
      {shared.length > 0 && (
        <Box sx={{ py: 0.5 }} role="group" aria-label={`Of all ${found.length}`}>
          <Box component="span" sx={{ fontWeight: 650, mr: 2 }}>
            Of all {found.length}
          </Box>
          {shared.map(({ title, names }) => {
            const count = names.filter((name) => chosen.has(name)).length;
            const all = count === names.length;
            return (
              <FormControlLabel
                key={names[0]}
                control={
                  <Checkbox
                    size="small"
                    checked={all}
                    indeterminate={count > 0 && !all}
                    onChange={() =>
                      put(
                        all
                          ? new Set([...chosen].filter((name) => !names.includes(name)))
                          : new Set([...chosen, ...names]),
                      )
                    }
                  />
                }
                label={title}
              />
            );
          })}
        </Box>
      )}
      <Box sx={{ maxHeight: 320, overflowY: 'auto' }}>
        {found.map(({ device, streams }) => (
          <Box key={device.id} sx={{ borderTop: `1px solid ${ink.faint}`, py: 0.5 }}>
            <Box component="span" sx={{ fontWeight: 650, mr: 2 }}>
              {device.name}
            </Box>
            {streams.map(({ key, title }) => (
              <FormControlLabel
                key={key}
                control={
                  <Checkbox
                    size="small"
                    checked={chosen.has(`${device.id}/${key}`)}
                    onChange={() => toggle(`${device.id}/${key}`)}
                  />
                }
                label={title}
              />
            ))}
          </Box>
        ))}
      </Box>
    </>
  );
}

function devicesFound({ devices, kinds }: Catalogue, search: string) {
  const words = search.toLowerCase().split(/\s+/);
  return devices
    .map((device) => {
      const kind = kinds.find(({ id }) => id === device.kindId);
      const streams = (kind?.streams ?? []).filter(({ direction }) => direction !== 'control');
      return {
        device,
        streams,
        text: `${device.name} ${kind?.title} ${device.labels.join(' ')}`.toLowerCase(),
      };
    })
    .filter(({ streams, text }) => streams.length > 0 && words.every((word) => text.includes(word)))
    .slice(0, 60);
}

/** What several of the devices have alike: its title, and the names of all of them. */
function sharedBy(found: ReturnType<typeof devicesFound>): { title: string; names: string[] }[] {
  const shared = new Map<string, { title: string; names: string[] }>();
  for (const { device, streams } of found)
    for (const { key, title } of streams) {
      const alike = shared.get(key) ?? { title, names: [] };
      alike.names.push(`${device.id}/${key}`);
      shared.set(key, alike);
    }
  return [...shared.values()].filter(({ names }) => names.length > 1);
}
