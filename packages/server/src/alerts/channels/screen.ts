import { findOne } from '../../store/rows';
import type { AlertChannel } from './channel';

/** A banner and a sound on open pages and walls: needs neither internet nor a mail server. */
export const screen: AlertChannel = {
  name: 'screen',
  version: 1,
  start: ({ bus, store }) => ({
    send({ recipient, workspaceId, alerts }) {
      const { alert, event } = alerts.at(-1)!;
      const over = alerts.every(({ alert: { phase } }) => phase === 'closed');
      bus.emit('live', {
        workspaceId,
        message: {
          type: 'alert',
          user: Number(recipient),
          event: event.id,
          severity: event.severity,
          title: alerts.length > 1 ? `${alerts.length} alerts` : alert.subject,
          text: alert.text.split('\n')[0]!,
          over,
        },
      });
      return Promise.resolve('shown on the pages that are open');
    },
    async test({ userId, workspaceId }) {
      const user = await findOne(store.models.users, { id: userId });
      bus.emit('live', {
        workspaceId,
        message: {
          type: 'alert',
          user: userId,
          event: null,
          severity: 'notice',
          title: 'A test',
          text: `So an alert looks and sounds for ${user?.name ?? 'you'}.`,
          over: false,
        },
      });
      return [{ what: 'Shown on the pages that are open', ok: true, detail: '' }];
    },
    close: () => undefined,
  }),
};
