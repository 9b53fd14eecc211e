/** Version of the service, as its package says it. */
export const VERSION = '0.6.0';
