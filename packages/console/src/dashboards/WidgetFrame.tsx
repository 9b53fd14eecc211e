import { Box, Button } from '@mui/material';
import { useRef, type ReactNode } from 'react';
import type { Place, Widget } from '@peatmoor/core';
import type { Period } from '../charts/period';
import { SightContext, useSight } from '../live';
import { ink } from '../theme';
import { Handle } from './Handle';
import { titleOf, type Shown } from './shown';
import { WidgetBody } from './WidgetBody';
import { WidgetMenu, type WidgetTools } from './WidgetMenu';
import { Fetched } from '../parts/Fetching';

/** What can be done with a widget while its dashboard is arranged. */
export interface Arranging {
  onConfigure: () => void;
  onRemove: () => void;
  /** Moves or grows it by whole cells; not given on the phone. */
  onShift?: (by: Partial<Place>) => void;
}

/** A widget with its title; while it is arranged with a handle and what can be done to it. */
export function WidgetFrame({
  widget,
  sources,
  period,
  onPeriod,
  arranging,
  onLarge,
  tools,
}: {
  widget: Widget;
  sources: Shown;
  period: Period;
  onPeriod: (period: Period) => void;
  arranging: Arranging | null;
  /** Shows it over the whole page; not given where it is shown so. */
  onLarge?: (() => void) | undefined;
  /** Not given where whoever looks may not change it. */
  tools?: WidgetTools | undefined;
}): ReactNode {
  const title = titleOf(widget, sources);
  const editing = arranging !== null;
  const box = useRef<HTMLDivElement>(null);
  const sight = useSight(box);
  return (
    <Box
      ref={box}
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
          // What can be done has a line of its own where the widget is narrow.
          flexWrap: editing ? 'wrap' : 'nowrap',
          columnGap: 1,
          mb: 0.5,
        }}
      >
        {arranging?.onShift ? (
          <Handle title={title} place={widget} onShift={arranging.onShift} />
        ) : (
          <Box
            sx={{
              flex: 1,
              minWidth: editing ? 90 : 0,
              fontWeight: 650,
              fontSize: '0.95rem',
              overflow: 'hidden',
              textOverflow: 'ellipsis',
              whiteSpace: 'nowrap',
            }}
            title={title}
          >
            {title}
          </Box>
        )}
        {arranging && (
          <Box className="widget-tools" sx={{ display: 'flex', gap: 1 }}>
            <Button
              variant="text"
              size="small"
              onClick={arranging.onConfigure}
              aria-label={`Change ${title}`}
              sx={{ p: 0, fontSize: '0.85rem' }}
            >
              Change
            </Button>
            <Button
              variant="text"
              size="small"
              onClick={arranging.onRemove}
              aria-label={`Remove ${title}`}
              sx={{ p: 0, fontSize: '0.85rem' }}
            >
              Remove
            </Button>
          </Box>
        )}
        {!editing && (
          <WidgetMenu
            widget={widget}
            title={title}
            sources={sources}
            period={period}
            onLarge={onLarge}
            tools={tools}
          />
        )}
      </Box>
      <Fetched>
        {/* What can be done with it takes room that it has otherwise. */}
        <Box
          sx={{
            flex: 1,
            minHeight: 0,
            // What has no room is not drawn over what stands below; a ring around what has the focus is.
            ...(editing ? { overflow: 'hidden' } : { overflow: 'clip', overflowClipMargin: '5px' }),
          }}
        >
          <SightContext value={sight}>
            <WidgetBody
              widget={widget}
              sources={sources}
              period={period}
              onPeriod={onPeriod}
              editing={editing}
            />
          </SightContext>
        </Box>
      </Fetched>
    </Box>
  );
}
