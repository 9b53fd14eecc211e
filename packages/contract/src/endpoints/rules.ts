import * as paging from '../schemas/paging';
import * as rules from '../schemas/rules';
import { endpoint, type Query } from './endpoint';

export type RuleIn = Pick<rules.NewRule, 'title' | 'stream' | 'comparison'> & Partial<rules.NewRule>;

/** Event rules and events. */
export const rulesEndpoints = {
  listRules: endpoint<rules.Rule[], undefined, Query<paging.RulesQuery>>(
    'GET /api/rules',
    'look',
    'Event rules',
    { query: paging.rulesQuerySchema, pages: 'all', answer: rules.rulesSchema },
  ),
  createRule: endpoint<rules.Rule, RuleIn>('POST /api/rules', 'change', 'Make an event rule', {
    body: rules.newRuleSchema,
    answer: rules.ruleSchema,
  }),
  readRule: endpoint<rules.Rule>('GET /api/rules/:rule', 'look', 'One event rule', {
    versioned: 'rule',
    answer: rules.ruleSchema,
  }),
  changeRule: endpoint<rules.Rule, RuleIn>('PUT /api/rules/:rule', 'change', 'Change an event rule', {
    body: rules.newRuleSchema,
    versioned: 'rule',
    answer: rules.ruleSchema,
  }),
  deleteRule: endpoint<void>('DELETE /api/rules/:rule', 'change', 'Delete an event rule; its events stay', {
    versioned: 'rule',
  }),
  listEvents: endpoint<rules.Event[], undefined, Query<paging.EventsQuery>>(
    'GET /api/events',
    'look',
    'Events, newest first',
    { query: paging.eventsQuerySchema, pages: 'newest', answer: rules.eventsSchema },
  ),
  acknowledgeEvent: endpoint<rules.Event>(
    'POST /api/events/:event/acknowledge',
    'steer',
    'Acknowledge an event',
    { answer: rules.eventSchema },
  ),
  closeEvent: endpoint<rules.Event>('POST /api/events/:event/close', 'steer', 'Close an event by hand', {
    answer: rules.eventSchema,
  }),
};
