import type { Aedes } from 'aedes';
import { Readable } from 'node:stream';
import { now as clockNow } from '../../clock';
import { MOST_LASTING, type Lasting, type LastingRows } from './lastingRows';
import type { OpenMessages } from './openMessages';
import type { Connected } from './session';

const LASTING_MS = 86_400_000;

interface Persistence {
  cleanSubscriptions(client: { id: string }): Promise<unknown>;
  addSubscriptions(client: { id: string }, filters: { topic: string; qos: number }[]): Promise<unknown>;
  /** QoS 2 messages by their numbers, from PUBLISH until PUBREL. */
  incomingStorePacket(client: { id: string }, packet: { messageId: number }): Promise<unknown>;
  incomingDelPacket(client: { id: string }, packet: { messageId: number }): Promise<unknown>;
  cleanIncoming(client: { id: string }): Promise<unknown>;
}

/** Puts what a session had at another node in the place of what is known here of it. */
export async function goOnWith(broker: Aedes, id: string, { filters, numbers }: Lasting): Promise<void> {
  const persistence = persistenceOf(broker);
  await persistence.cleanSubscriptions({ id });
  await persistence.cleanIncoming({ id });
  const list = Object.entries(filters).map(([topic, qos]) => ({ topic, qos }));
  if (list.length > 0) await persistence.addSubscriptions({ id }, list);
  for (const messageId of numbers) await persistence.incomingStorePacket({ id }, { messageId });
}

/** A board hears that a number is free (PUBCOMP) once that is true at every node, and by its newest connection only. */
export function releaseEverywhere(
  broker: Aedes,
  rows: LastingRows,
  open: Pick<OpenMessages<unknown>, 'release'>,
): void {
  const persistence = persistenceOf(broker);
  const release = persistence.incomingDelPacket.bind(persistence);
  persistence.incomingDelPacket = async (client, packet) => {
    const { session, clean } = client as Connected;
    if (session !== undefined && session.epoch !== null && !clean) {
      await rows
        .release({
          deviceRowId: session.deviceRowId,
          client: session.name,
          number: packet.messageId,
          epoch: session.epoch,
        })
        .catch((error: unknown) => {
          // It hears nothing, and releases the number by its newest connection.
          (client as Connected).close();
          throw error;
        });
      open.release(session.name, packet.messageId);
    }
    return release(client, packet);
  };
}

const persistenceOf = (broker: Aedes): Persistence & Record<string, unknown> =>
  (broker as unknown as { persistence: Persistence & Record<string, unknown> }).persistence;

/** Bounds the sessions of boards that connect without "clean session": in number for each device, and by time. */
export interface LastingSessions {
  opened(deviceRowId: number, clientId: string): void;
}

export function createLastingSessions(broker: Aedes): LastingSessions {
  const known = new Map<number, Map<string, number>>();
  return {
    opened(deviceRowId, clientId) {
      const now = clockNow();
      const mine = known.get(deviceRowId) ?? new Map<string, number>();
      known.set(deviceRowId, mine);
      mine.delete(clientId);
      mine.set(clientId, now);
      for (const [id, at] of mine)
        if (mine.size > MOST_LASTING || now - at > LASTING_MS) {
          mine.delete(id);
          const persistence = persistenceOf(broker);
          void Promise.all([persistence.cleanSubscriptions({ id }), persistence.cleanIncoming({ id })]).catch(
            () => undefined,
          );
        } else break;
    },
  };
}

/**
 * What is wanted is kept by the service and told anew to a session that goes on; the library must not keep it a
 * second time and send both.
 */
export function keepNothingOutgoing(broker: Aedes): void {
  const nothing = (): Promise<undefined> => Promise.resolve(undefined);
  Object.assign(persistenceOf(broker), {
    outgoingEnqueue: nothing,
    outgoingUpdate: nothing,
    outgoingClearMessageId: nothing,
    outgoingStream: () => Readable.from([]),
  });
}
