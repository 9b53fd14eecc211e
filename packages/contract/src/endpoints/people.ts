import * as account from '../schemas/account';
import * as paging from '../schemas/paging';
import * as people from '../schemas/people';
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
  addPerson: endpoint<people.AddedPerson, people.NewPerson>(
    'POST /api/people',
    'people',
    'Add a person: gives a link, to be handed over, with which they make their account once',
    { body: people.newPersonSchema, answer: people.addedPersonSchema },
  ),
  changePerson: endpoint<people.Person, people.PersonChange>(
    'PATCH /api/people/:person',
    'people',
    'Change what a person may do',
    { body: people.personChangeSchema, versioned: 'member', answer: people.personSchema },
  ),
  removePerson: endpoint<void>(
    'DELETE /api/people/:person',
    'people',
    'Remove a person, or take a link back',
    { versioned: 'member' },
  ),
  join: endpoint<account.Me, people.Join>(
    'POST /api/join',
    'open',
    'Make an account with the link one was given, and sign in',
    { body: people.joinSchema, answer: account.meSchema },
  ),
};
