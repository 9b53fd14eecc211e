import { Box, Button, ButtonBase, MenuItem, TextField, Typography } from '@mui/material';
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

/** What comes after one's favourites, which have the order that one gave them. */
const ORDERS = { title: 'by title', changed: 'last changed first' } as const;

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
  const [order, setOrder] = useAddress('order');
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
  const sorted = [...found].sort((a, b) =>
    rank(a) !== rank(b) ? rank(a) - rank(b) : order === 'changed' ? b.changedAt - a.changedAt : 0,
  );
  const open = ({ id }: { id: number }): void =>
    void navigate(`/dashboards/${id}`, { state: { editing: true } });
  /** Puts a favourite before the one above it, or after the one below. */
  const move = (id: number, by: 1 | -1): void => {
    const shown = sorted.map((one) => one.id).filter((one) => favourites.includes(one));
    const other = shown[shown.indexOf(id) + by];
    if (other === undefined) return;
    const swapped = favourites.map((one) => (one === id ? other : one === other ? id : one));
    change.mutate({ body: { favourites: swapped } });
  };
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
          <TextField
            select
            label="Order"
            value={order === 'changed' ? order : 'title'}
            onChange={({ target }) => setOrder(target.value === 'title' ? '' : target.value)}
            sx={{ width: 180 }}
          >
            {Object.entries(ORDERS).map(([name, words]) => (
              <MenuItem key={name} value={name}>
                {words}
              </MenuItem>
            ))}
          </TextField>
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
      {sorted.map((one, i) => (
        <Row
          key={one.id}
          dashboard={one}
          favourite={favourites.includes(one.id)}
          starts={start === `/dashboards/${one.id}`}
          onUp={rank(one) < Infinity && i > 0 ? () => move(one.id, -1) : undefined}
          onDown={
            rank(one) < Infinity && sorted[i + 1] !== undefined && rank(sorted[i + 1]!) < Infinity
              ? () => move(one.id, 1)
              : undefined
          }
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
  onUp,
  onDown,
  onFavourite,
  onStart,
}: {
  dashboard: Dashboard;
  favourite: boolean;
  starts: boolean;
  /** Not given where it is no favourite, or the first or last of them. */
  onUp: (() => void) | undefined;
  onDown: (() => void) | undefined;
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
          {icon && (
            <Box component="span" sx={{ display: 'inline-block', mr: 0.75 }}>
              <KindMark icon={icon} />
            </Box>
          )}
          {title}
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
      <Box sx={{ display: 'flex' }}>
        {[['up', '↑', onUp] as const, ['down', '↓', onDown] as const].map(
          ([way, sign, act]) =>
            (onUp !== undefined || onDown !== undefined) && (
              <ButtonBase
                key={way}
                aria-label={`Move ${title} ${way}`}
                disabled={act === undefined}
                onClick={act}
                sx={{ width: 40, height: 44, fontSize: '1.1rem', '&:disabled': { visibility: 'hidden' } }}
              >
                {sign}
              </ButtonBase>
            ),
        )}
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
    </Box>
  );
}
