import * as account from '../schemas/account';
import * as paging from '../schemas/paging';
import * as people from '../schemas/people';
import { takesOverQuerySchema, type TakesOverQuery } from '../schemas/takesOver';
import { endpoint, type Query } from './endpoint';

/** People of a workspace. */
export const peopleEndpoints = {
  listPeople: endpoint<people.Person[], undefined, Query<paging.PeopleQuery>>(
    'GET /api/people',
    'look',
    'People of the workspace',
    {
      query: paging.peopleQuerySchema,
      pages: 'all',
      answer: people.peopleSchema,
    },
  ),
  listChanges: endpoint<people.Change[], undefined, Query<paging.ChangesQuery>>(
    'GET /api/changes',
    'people',
    'Who changed what, from what to what, the newest first',
    { query: paging.changesQuerySchema, pages: 'newest', answer: people.changesSchema },
  ),
  addPerson: endpoint<people.AddedPerson, people.NewPersonIn>(
    'POST /api/people',
    'people',
    'Add people: gives a link, sent or handed over, with which they join',
    { body: people.newPersonSchema, answer: people.addedPersonSchema },
  ),
  changePerson: endpoint<people.Person, people.PersonChange>(
    'PATCH /api/people/:person',
    'people',
    'Change what a person may do',
    { body: people.personChangeSchema, versioned: 'member', answer: people.personSchema },
  ),
  removePerson: endpoint<void, undefined, TakesOverQuery>(
    'DELETE /api/people/:person',
    'people',
    'Remove a person, or take a link back; event rules that would tell nobody any more are taken over',
    { query: takesOverQuerySchema, versioned: 'member' },
  ),
  resetPerson: endpoint<account.ResetLink>(
    'POST /api/people/:person/reset',
    'people',
    'A link with which a person who belongs to this workspace alone sets a new password',
    { answer: account.resetLinkSchema },
  ),
  readJoin: endpoint<
    { workspace: string; name: string; role: people.Person['role']; email: string | null },
    { secret: string }
  >('POST /api/join/look', 'open', 'What a link to join is for', {
    body: people.joinHereSchema,
    answer: people.readJoinSchema,
  }),
  joinHere: endpoint<account.Me, { secret: string }>(
    'POST /api/join/here',
    'own',
    'Join with the account you are signed in with',
    { looks: true, body: people.joinHereSchema, answer: account.meSchema },
  ),
  join: endpoint<account.Me, people.JoinIn>(
    'POST /api/join',
    'open',
    'Make an account with the link one was given, and sign in',
    { body: people.joinSchema, answer: account.meSchema },
  ),
};
