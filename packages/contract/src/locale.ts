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
    min: 'needs at least ${min} letters',
    max: 'has more than ${max} letters',
  },
  number: { min: 'must be ${min} or more', max: 'must be ${max} or less', integer: 'must be a whole number' },
  array: { min: 'needs at least ${min} entries', max: 'has more than ${max} entries' },
  object: { noUnknown: 'has fields nobody knows: ${unknown}' },
});
