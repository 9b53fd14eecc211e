import * as account from '../schemas/account';
import * as check from '../schemas/check';
import * as paging from '../schemas/paging';
import { takesOverQuerySchema, type TakesOverQuery } from '../schemas/takesOver';
import { endpoint, type Query } from './endpoint';

/** Accounts, sessions and keys, and the service itself. */
export const accountEndpoints = {
  status: endpoint<account.Status>('GET /api/status', 'open', 'Whether the service has accounts yet', {
    answer: account.statusSchema,
  }),
  createAccount: endpoint<account.Me, account.NewAccountIn>(
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
    'own',
    'Change your name, and how things are shown to you',
    { body: account.meChangeSchema, versioned: 'person', answer: account.meSchema },
  ),
  changePassword: endpoint<void, account.PasswordChange>(
    'POST /api/me/password',
    'signIn',
    'Change your password: ends your other sessions',
    { body: account.passwordChangeSchema },
  ),
  changeWorkspace: endpoint<account.Me, account.WorkspaceChange>(
    'PATCH /api/workspace',
    'people',
    'Change the name, the time zone and the place of the workspace',
    { body: account.workspaceChangeSchema, answer: account.meSchema },
  ),
  changeEmail: endpoint<void, { email: string; password: string }>(
    'POST /api/me/email',
    'signIn',
    'Take another email: a mail to it has to be confirmed',
    { body: account.emailChangeSchema },
  ),
  confirmEmail: endpoint<void, { secret: string }>('POST /api/confirm', 'open', 'Confirm an email', {
    body: account.confirmSchema,
  }),
  askReset: endpoint<void, { email: string }>(
    'POST /api/reset/ask',
    'open',
    'Have a link sent with which a new password is set; the answer is the same for an unknown email',
    { body: account.askResetSchema },
  ),
  reset: endpoint<void, { secret: string; password: string }>(
    'POST /api/reset',
    'open',
    'Set a new password with a link: works once, and ends all sessions and access keys',
    { body: account.resetSchema },
  ),
  machineReset: endpoint<account.ResetLink, { account: string; key: string }>(
    'POST /api/reset/machine',
    'open',
    'A link to set a new password, which also takes the second factor off, for whoever reads the data folder',
    { body: account.machineResetSchema, answer: account.resetLinkSchema },
  ),
  machineFactorOff: endpoint<void, { account: string; key: string }>(
    'POST /api/reset/machine/factor',
    'open',
    'Take the second factor off an account, for whoever reads the data folder',
    { body: account.machineResetSchema },
  ),
  listSessions: endpoint<account.Session[]>('GET /api/me/sessions', 'self', 'Where you are signed in', {
    answer: account.sessionsSchema,
  }),
  endSession: endpoint<void>('DELETE /api/me/sessions/:session', 'signIn', 'Sign out elsewhere'),
  endSessions: endpoint<void>('DELETE /api/me/sessions', 'signIn', 'Sign out everywhere else'),
  readFactor: endpoint<{ on: boolean; codesLeft: number }>(
    'GET /api/me/factor',
    'self',
    'Whether a second factor is asked for',
    { answer: account.factorStateSchema },
  ),
  newFactor: endpoint<{ secret: string; uri: string }>(
    'POST /api/me/factor/new',
    'signIn',
    'A new secret for a second factor (RFC 6238), not in use yet',
    { answer: account.newFactorSchema },
  ),
  useFactor: endpoint<{ codes: string[] }, { secret: string; code: string; password: string }>(
    'POST /api/me/factor',
    'signIn',
    'Ask for the second factor from now on; gives recovery codes, shown once',
    { body: account.factorCodeSchema, answer: account.recoveryCodesSchema },
  ),
  endFactor: endpoint<void, { password: string }>(
    'POST /api/me/factor/end',
    'signIn',
    'Ask for no second factor any more',
    { body: account.passwordAgainSchema },
  ),
  deleteAccount: endpoint<void, { password: string; withWorkspaces?: boolean; takesOver?: string }>(
    'POST /api/me/delete',
    'signIn',
    'Delete your account; event rules that would tell nobody any more are taken over',
    { body: account.deleteAccountSchema },
  ),
  listWorkspaces: endpoint<account.MyWorkspace[]>(
    'GET /api/me/workspaces',
    'self',
    'Workspaces you belong to',
    { answer: account.myWorkspacesSchema },
  ),
  listGranted: endpoint<account.Granted[]>(
    'GET /api/me/granted',
    'self',
    'What other workspaces granted you; an access key, which is for one workspace, is told of none',
    { answer: account.grantedListSchema },
  ),
  chooseWorkspace: endpoint<account.Me, { id: number }>(
    'POST /api/me/workspace',
    'own',
    'Go on in another of your workspaces',
    { body: account.chooseWorkspaceSchema, answer: account.meSchema },
  ),
  createWorkspace: endpoint<account.Me, { title: string }>(
    'POST /api/workspaces',
    'own',
    'Make a workspace, and go on in it',
    { body: account.newWorkspaceSchema, answer: account.meSchema },
  ),
  leaveWorkspace: endpoint<void, undefined, Query<TakesOverQuery>>(
    'POST /api/workspace/leave',
    'own',
    'Leave the workspace; event rules that would tell nobody any more are taken over',
    { query: takesOverQuerySchema },
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
    'own',
    'Make an access key; its secret is shown once',
    { body: account.newKeySchema, answer: account.madeKeySchema },
  ),
  deleteKey: endpoint<void>('DELETE /api/keys/:key', 'own', 'End an access key'),
  listTroubles: endpoint<check.Finding[]>(
    'GET /api/troubles',
    'service',
    'What is wrong with the service itself; told to owners of its first workspace, who look after it',
    { answer: check.findingsSchema },
  ),
  listNodes: endpoint<check.Node[]>(
    'GET /api/nodes',
    'service',
    'The services on this database, each with its sign of life; told to owners of the first workspace',
    { answer: check.nodesSchema },
  ),
  check: endpoint<check.Check>(
    'GET /api/check',
    'service',
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
    'service',
    'Make a local authority and a certificate of it',
    { body: account.newCertificateSchema, answer: account.certificateSchema },
  ),
};
