import { counted } from '@peatmoor/core';
import { Box, Button, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { Link, useNavigate } from 'react-router';
import { useChange, useRead } from '../api';
import { Heading } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { ink } from '../theme';

/** All dashboards. */
export function Dashboards(): ReactNode {
  const navigate = useNavigate();
  const dashboards = useRead('listDashboards');
  const make = useChange('createDashboard', ['listDashboards']);
  return (
    <>
      <Heading title="Dashboards" below="Pages of widgets, on the wide screen and on the phone.">
        <Button
          variant="contained"
          color="primary"
          onClick={() =>
            make.mutate(
              { body: { title: 'New dashboard' } },
              { onSuccess: ({ id }) => void navigate(`/dashboards/${id}`, { state: { editing: true } }) },
            )
          }
        >
          New dashboard
        </Button>
      </Heading>
      <Notice error={dashboards.error ?? make.error} />
      {dashboards.data?.map(({ id, title, widgets }) => (
        <Box
          key={id}
          sx={{
            borderTop: `1px solid ${ink.line}`,
            py: 1.5,
            display: 'flex',
            gap: 3,
            alignItems: 'baseline',
          }}
        >
          <Typography variant="h2" component={Link} to={`/dashboards/${id}`}>
            {title}
          </Typography>
          <Typography color="text.secondary">{counted(widgets.length, 'widget')}</Typography>
        </Box>
      ))}
      {dashboards.data?.length === 0 && (
        <Typography color="text.secondary">
          None yet. A device offers a complete one at its first reading; or begin with an empty one.
        </Typography>
      )}
    </>
  );
}
