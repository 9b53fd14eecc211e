import { Box, Button } from '@mui/material';
import type { ReactNode } from 'react';
import { WIDGETS, type Widget } from '@peatmoor/core';
import type { Period } from '../charts/period';
import { ink } from '../theme';
import type { Source } from './useCatalogue';
import { WidgetBody } from './WidgetBody';
import { WidgetMenu } from './WidgetMenu';

/** A widget with its title; while editing with a handle and what can be done to it. */
export function WidgetFrame({
  widget,
  sources,
  period,
  editing,
  onConfigure,
  onRemove,
}: {
  widget: Widget;
  sources: (Source | null)[];
  period: Period;
  editing: boolean;
  onConfigure: () => void;
  onRemove: () => void;
}): ReactNode {
  const first = sources[0];
  const title =
    widget.title ||
    (widget.type === 'chart' && sources.length > 1
      ? (first?.stream.title ?? '')
      : first
        ? first.stream.title
        : (widget.sources[0]?.stream ?? WIDGETS[widget.type].title));
  return (
    <Box
      data-widget={widget.type}
      sx={{
        height: '100%',
        display: 'flex',
        flexDirection: 'column',
        borderTop: `1px solid ${editing ? ink.heather : ink.line}`,
        pt: 0.75,
        outline: editing ? `1px dashed ${ink.line}` : 'none',
        outlineOffset: 4,
        minHeight: 0,
      }}
    >
      <Box
        sx={{
          // A heading has no other title.
          display: widget.type === 'heading' && !editing ? 'none' : 'flex',
          alignItems: 'baseline',
          gap: 1,
          mb: 0.5,
        }}
      >
        <Box
          className={editing ? 'widget-handle' : undefined}
          sx={{
            flex: 1,
            minWidth: 0,
            fontWeight: 650,
            fontSize: '0.95rem',
            overflow: 'hidden',
            textOverflow: 'ellipsis',
            whiteSpace: 'nowrap',
            cursor: editing ? 'move' : 'inherit',
          }}
          title={title}
        >
          {editing && <span aria-hidden>⠿ </span>}
          {title}
        </Box>
        {editing && (
          <Box className="widget-tools" sx={{ display: 'flex', gap: 1 }}>
            <Button
              variant="text"
              size="small"
              onClick={onConfigure}
              aria-label={`Change ${title}`}
              sx={{ p: 0, fontSize: '0.85rem' }}
            >
              Change
            </Button>
            <Button
              variant="text"
              size="small"
              onClick={onRemove}
              aria-label={`Remove ${title}`}
              sx={{ p: 0, fontSize: '0.85rem' }}
            >
              Remove
            </Button>
          </Box>
        )}
        {!editing && <WidgetMenu title={title ?? ''} sources={sources} period={period} />}
      </Box>
      <Box sx={{ flex: 1, minHeight: 0 }}>
        <WidgetBody widget={widget} sources={sources} period={period} editing={editing} />
      </Box>
    </Box>
  );
}
