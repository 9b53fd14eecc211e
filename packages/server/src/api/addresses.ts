import { asTheirWords, countMailToStranger } from '../auth/mailsToStrangers';
import { now as clockNow } from '../clock';
import type { AddressRow } from '../store/models';
import { changeIn, listIn, oneIn } from '../store/rows';
import type { ApiParts } from './context';
import type { Scope } from './scope';

type Parts = Pick<ApiParts, 'store' | 'mailer' | 'links' | 'log'>;

/** Asks an address whether it may be alerted. Throws where no mail goes out. */
export async function askAddress(
  { store, mailer, links }: Parts,
  scope: Scope,
  row: AddressRow,
): Promise<AddressRow> {
  const askedAt = clockNow();
  await countMailToStranger(store, scope);
  await mailer.send({
    to: row.email,
    subject: 'Peatmoor: may alerts come to you?',
    text: `Somebody who calls themselves ${asTheirWords(scope.userName)} wants alerts of their workspace ${asTheirWords(scope.workspace.title)} to come to ${row.email}.\n\nIf you agree, press the button at\n${links.page({ what: 'address', addressId: row.id, asked: askedAt })}\n\nIf you do not agree, ignore this email. No alerts will be sent.`,
    headers: { 'Auto-Submitted': 'auto-generated' },
  });
  await changeIn(store.models.addresses, scope.workspaceId, { id: row.id }, { askedAt });
  return { ...row, askedAt };
}

/** Addresses of a rule that are nobody's here are asked first; what cannot be sent is tried again from the list of addresses. */
export async function askAddresses(parts: Parts, scope: Scope, emails: readonly string[]): Promise<void> {
  if (emails.length === 0) return;
  const { store, log } = parts;
  const members = await store.withConnection(
    async (connection) =>
      (await connection.query(
        'SELECT u.email FROM memberships m JOIN users u ON u.id = m.userId WHERE m.workspaceId = ? AND u.email IS NOT NULL',
        [scope.workspaceId],
      )) as { email: string }[],
  );
  const known = new Set([
    ...members.map(({ email }) => email.toLowerCase()),
    ...(await listIn(store.models.addresses, scope.workspaceId, {})).map(({ email }) => email.toLowerCase()),
  ]);
  for (const email of new Set(emails.map((one) => one.toLowerCase()))) {
    if (known.has(email)) continue;
    // Two rules may name it at once: whoever comes first asks.
    const made = (await store.withConnection((connection) =>
      connection.query('INSERT IGNORE INTO addresses (workspaceId, email, askedAt) VALUES (?, ?, 0)', [
        scope.workspaceId,
        email,
      ]),
    )) as { affectedRows: number };
    const row =
      made.affectedRows === 0 ? null : await oneIn(store.models.addresses, scope.workspaceId, { email });
    if (row === null) continue;
    void askAddress(parts, scope, row).catch((error: Error) =>
      log.warn({ err: error }, 'an address could not be asked whether it may be alerted'),
    );
  }
}
