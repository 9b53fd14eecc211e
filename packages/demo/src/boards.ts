import {
  boardModel,
  QUILLMERE_DEVICES,
  QUILLMERE_KINDS,
  startHttpBoard,
  startMqttBoard,
  type Board,
} from '@peatmoor/standins';

/** Switches the simulated boards of Quillmere Moss on; those behind the gateway come through it. */
export async function startBoards(
  tokens: Record<string, string>,
  at: { httpPort: number; mqttPort: number },
): Promise<Board[]> {
  const boards: Board[] = [];
  for (const { id, kind, via, seed, gateway } of QUILLMERE_DEVICES) {
    if (gateway !== undefined) continue;
    const behind = QUILLMERE_DEVICES.filter((one) => one.gateway === id);
    const options = {
      deviceId: id,
      token: tokens[id]!,
      mqttUrl: `mqtt://127.0.0.1:${at.mqttPort}`,
      httpUrl: `http://127.0.0.1:${at.httpPort}`,
      intervalS: QUILLMERE_KINDS[kind].intervalS,
      model: boardModel(kind, seed),
      behind: Object.fromEntries(behind.map((one) => [one.serial!, boardModel(one.kind, one.seed)])),
    };
    boards.push(via === 'mqtt' ? await startMqttBoard(options) : startHttpBoard(options));
  }
  return boards;
}
