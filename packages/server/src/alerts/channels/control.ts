import { isRefusal } from '@peatmoor/core';
import { BarredError, RestsError } from '../../commands/barred';
import { TooLateError } from '../../commands/keeping';
import { CannotBeSent, type AlertChannel } from './channel';

const NEWER = 'Something newer was wanted of this control meanwhile.';

/** Wants a value of a control: an action of a rule. `recipient` is `<device row>/<datastream>=<value>`. */
export const control: AlertChannel = {
  name: 'control',
  version: 1,
  alone: true,
  start: ({ commands, registry, store }) => ({
    async send({ recipient, workspaceId, alerts }) {
      const [, row, key, value] = /^(\d+)\/([a-z0-9_]+)=(.*)$/s.exec(recipient) ?? [];
      const entry = row === undefined ? null : await registry.byRow(Number(row));
      if (entry === null || entry.workspaceId !== workspaceId)
        throw new CannotBeSent('The device is gone. Choose another in the rule.');
      const { event, alert } = alerts[0]!;
      const [newer] = (await store.withConnection((connection) =>
        connection.query(
          "SELECT 1 FROM alerts WHERE workspaceId = ? AND channel = 'control' AND state = 'sent' AND id > ? AND recipient LIKE ? LIMIT 1",
          [workspaceId, alert.id, `${row}/${key!.replaceAll('_', '\\_')}=%`],
        ),
      )) as unknown[];
      if (newer !== undefined) throw new CannotBeSent(NEWER);
      const outcome = await commands
        .want(entry, key!, value!, {
          userName: `event ${event.id}: ${event.title}`.slice(0, 80),
          eventId: event.id,
          at: alert.queuedAt,
        })
        .catch((error: Error) => {
          // What rests is run when it may, unless something else is wanted until then.
          if (error instanceof BarredError && !(error instanceof RestsError))
            throw new CannotBeSent(error.message);
          throw error instanceof TooLateError ? new CannotBeSent(NEWER) : error;
        });
      if (isRefusal(outcome)) throw new CannotBeSent(outcome.hint);
      return `${entry.name}: ${key} ${value} is wanted`;
    },
    close: () => undefined,
  }),
};
