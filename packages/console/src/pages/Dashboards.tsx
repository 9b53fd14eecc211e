import { Box, Button, ButtonBase, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { Link, useNavigate } from 'react-router';
import { counted } from '@peatmoor/core';
import type { Dashboard } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Miniature } from '../dashboards/Miniature';
import { Heading } from '../parts/Heading';
import { KindMark } from '../parts/KindMark';
import { Notice } from '../parts/Notice';
import { useAddress } from '../parts/useAddress';
import { useMay } from '../parts/useMay';
import { ink } from '../theme';

/** All dashboards: one's favourites first, found by words and labels. */
export function Dashboards(): ReactNode {
  const navigate = useNavigate();
  const dashboards = useRead('listDashboards');
  const kinds = useRead('listKinds').data ?? [];
  const me = useRead('me').data;
  const change = useChange('changeMe', ['me']);
  const make = useChange('createDashboard', ['listDashboards']);
  const makeOfKind = useChange('createKindDashboard', ['listDashboards']);
  const mayChange = useMay('change');
  const [search, setSearch] = useState('');
  const [label, setLabel] = useAddress('label');
  const favourites = me?.user.favourites ?? [];
  const start = me?.user.start ?? '';
  const all = dashboards.data ?? [];
  const labels = [...new Set(all.flatMap((one) => one.labels))].sort();
  const found = all.filter(
    ({ title, labels: own }) =>
      title.toLowerCase().includes(search.trim().toLowerCase()) && (label === '' || own.includes(label)),
  );
  const rank = ({ id }: Dashboard): number => {
    const place = favourites.indexOf(id);
    return place < 0 ? Infinity : place;
  };
  const sorted = [...found].sort((a, b) => (rank(a) === rank(b) ? 0 : rank(a) - rank(b)));
  const open = ({ id }: { id: number }): void =>
    void navigate(`/dashboards/${id}`, { state: { editing: true } });
  const setFavourite = (id: number, on: boolean): void =>
    change.mutate({
      body: { favourites: on ? [...favourites, id] : favourites.filter((one) => one !== id) },
    });
  const bare = kinds.filter(({ id, streams }) => streams.length > 0 && !all.some((one) => one.kindId === id));
  return (
    <>
      <Heading title="Dashboards" below="Pages of widgets, on the wide screen, on the phone and on a wall.">
        {mayChange && (
          <Button
            variant="contained"
            color="primary"
            onClick={() => make.mutate({ body: { title: 'New dashboard' } }, { onSuccess: open })}
          >
            New dashboard
          </Button>
        )}
      </Heading>
      <Notice error={dashboards.error ?? make.error ?? makeOfKind.error ?? change.error} />
      {all.length > 3 && (
        <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1.5, alignItems: 'flex-end', mb: 2 }}>
          <TextField
            label="Find"
            value={search}
            onChange={({ target }) => setSearch(target.value)}
            sx={{ width: 240 }}
          />
          {labels.map((one) => (
            <Button
              key={one}
              size="small"
              aria-pressed={one === label}
              onClick={() => setLabel(one === label ? '' : one)}
              sx={{ borderColor: one === label ? ink.heather : ink.line, borderWidth: one === label ? 2 : 1 }}
            >
              {one}
            </Button>
          ))}
        </Box>
      )}
      {sorted.map((one) => (
        <Row
          key={one.id}
          dashboard={one}
          favourite={favourites.includes(one.id)}
          starts={start === `/dashboards/${one.id}`}
          onFavourite={(on) => setFavourite(one.id, on)}
          onStart={(on) => change.mutate({ body: { start: on ? `/dashboards/${one.id}` : '' } })}
        />
      ))}
      {all.length > 0 && found.length === 0 && (
        <Typography color="textSecondary">
          No dashboard is called so{label !== '' && `, with the label “${label}”`}.
        </Typography>
      )}
      {dashboards.data?.length === 0 && (
        <Typography color="textSecondary">
          None yet. A device offers a complete one at its first reading; or begin with an empty one.
        </Typography>
      )}
      {mayChange && bare.length > 0 && (
        <Box sx={{ mt: 4 }}>
          <Typography color="textSecondary" sx={{ mb: 1 }}>
            A complete dashboard for whichever device is chosen, of the kind
          </Typography>
          <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1 }}>
            {bare.map(({ id, title, icon }) => (
              <Button
                key={id}
                disabled={makeOfKind.isPending}
                onClick={() => makeOfKind.mutate({ params: { kind: id } }, { onSuccess: open })}
              >
                <KindMark icon={icon} /> &nbsp;{title}
              </Button>
            ))}
          </Box>
        </Box>
      )}
    </>
  );
}

function Row({
  dashboard: { id, title, widgets, icon, colour, labels },
  favourite,
  starts,
  onFavourite,
  onStart,
}: {
  dashboard: Dashboard;
  favourite: boolean;
  starts: boolean;
  onFavourite: (on: boolean) => void;
  onStart: (on: boolean) => void;
}): ReactNode {
  return (
    <Box
      data-dashboard={id}
      sx={{
        borderTop: `1px solid ${ink.line}`,
        py: 1.75,
        display: 'grid',
        gridTemplateColumns: { xs: '1fr auto', sm: '120px 1fr auto auto' },
        columnGap: 3,
        alignItems: 'center',
      }}
    >
      <Box sx={{ display: { xs: 'none', sm: 'block' } }}>
        <Miniature widgets={widgets} colour={colour} />
      </Box>
      <Box sx={{ minWidth: 0 }}>
        <Typography variant="h2" component={Link} to={`/dashboards/${id}`}>
          {icon && <KindMark icon={icon} />} {title}
        </Typography>
        <Typography color="textSecondary">
          {[counted(widgets.length, 'widget'), ...labels].join(' · ')}
        </Typography>
      </Box>
      <Button
        variant="text"
        aria-pressed={starts}
        onClick={() => onStart(!starts)}
        sx={{ display: { xs: 'none', sm: 'inline-flex' }, color: starts ? ink.ink : ink.soft }}
      >
        {starts ? 'You begin here' : 'Begin here'}
      </Button>
      <ButtonBase
        aria-pressed={favourite}
        aria-label={`${title} is a favourite`}
        onClick={() => onFavourite(!favourite)}
        sx={{ width: 44, height: 44 }}
      >
        <svg width="22" height="22" viewBox="0 0 24 24" aria-hidden>
          <path
            d="M6 3h12v18l-6-5-6 5z"
            fill={favourite ? ink.heather : 'none'}
            stroke={favourite ? ink.heather : ink.soft}
            strokeWidth="1.6"
            strokeLinejoin="round"
          />
        </svg>
      </ButtonBase>
    </Box>
  );
}
