import * as account from '../schemas/account';
import * as check from '../schemas/check';
import * as paging from '../schemas/paging';
import { endpoint, type Query } from './endpoint';

/** Accounts, sessions and keys, and the service itself. */
export const accountEndpoints = {
  status: endpoint<account.Status>('GET /api/status', 'open', 'Whether the service has accounts yet', {
    answer: account.statusSchema,
  }),
  createAccount: endpoint<account.Me, account.NewAccount>(
    'POST /api/account',
    'open',
    'Make an account with its workspace, and sign in',
    { body: account.newAccountSchema, answer: account.meSchema },
  ),
  signIn: endpoint<account.Me, account.SignIn>(
    'POST /api/session',
    'open',
    'Sign in: sets the session cookie',
    { body: account.signInSchema, answer: account.meSchema },
  ),
  signOut: endpoint<void>('DELETE /api/session', 'open', 'Sign out'),
  me: endpoint<account.Me>(
    'GET /api/me',
    'self',
    'Who is signed in, where, and how boards reach this service',
    { versioned: 'person', answer: account.meSchema },
  ),
  changeMe: endpoint<account.Me, account.MeChange>(
    'PATCH /api/me',
    'self',
    'Change your name, and how things are shown to you',
    { body: account.meChangeSchema, versioned: 'person', answer: account.meSchema },
  ),
  changePassword: endpoint<void, account.PasswordChange>(
    'POST /api/me/password',
    'self',
    'Change your password: ends your other sessions',
    { body: account.passwordChangeSchema },
  ),
  changeWorkspace: endpoint<account.Me, account.WorkspaceChange>(
    'PATCH /api/workspace',
    'people',
    'Change the name, the time zone and the place of the workspace',
    { body: account.workspaceChangeSchema, answer: account.meSchema },
  ),
  listKeys: endpoint<account.AccessKey[], undefined, Query<paging.PageQuery>>(
    'GET /api/keys',
    'self',
    'Your access keys',
    {
      query: paging.pageQuerySchema,
      pages: 'all',
      answer: account.accessKeysSchema,
    },
  ),
  createKey: endpoint<account.MadeKey, Pick<account.NewKey, 'title'> & Partial<account.NewKey>>(
    'POST /api/keys',
    'self',
    'Make an access key; its secret is shown once',
    { body: account.newKeySchema, answer: account.madeKeySchema },
  ),
  deleteKey: endpoint<void>('DELETE /api/keys/:key', 'self', 'End an access key'),
  check: endpoint<check.Check>(
    'GET /api/check',
    'people',
    'Whether all that the service stands on is as it should be',
    { answer: check.checkSchema },
  ),
  readCertificate: endpoint<account.CertificateState>(
    'GET /api/certificate',
    'open',
    'The certificate of the service, and whether it is in use',
    { answer: account.certificateSchema },
  ),
  makeCertificate: endpoint<account.CertificateState, { names?: string[] }>(
    'POST /api/certificate',
    'people',
    'Make a local authority and a certificate of it',
    { body: account.newCertificateSchema, answer: account.certificateSchema },
  ),
};
