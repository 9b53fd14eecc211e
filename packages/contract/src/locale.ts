import { counted } from '@peatmoor/core';
import { setLocale } from 'yup';

// Yup binds its messages when a schema is made: this file is imported before any schema.
setLocale({
  mixed: {
    required: 'is missing',
    defined: 'is missing',
    notNull: 'must not be null',
    oneOf: 'must be one of: ${values}',
    notType: 'must be of type ${type}',
  },
  string: {
    email: 'is not an email address',
    min: ({ min }: { min: number }) =>
      min === 1 ? 'is empty; type something' : `is too short; type ${counted(min, 'letter')} or more`,
    max: ({ max }: { max: number }) => `is too long; ${counted(max, 'letter')} at most`,
  },
  number: { min: 'must be ${min} or more', max: 'must be ${max} or less', integer: 'must be a whole number' },
  array: {
    min: ({ min }: { min: number }) =>
      min === 1 ? 'is empty; give one at least' : `has too few; give ${min} or more`,
    max: ({ max }: { max: number }) => `has too many; ${max} at most`,
  },
  object: { noUnknown: 'has unknown fields: ${unknown}' },
});
