/** Columns of the ledger: device, datastream, value, day. On a phone name and value above the day. */
export const LEDGER = { xs: '1fr auto', md: 'minmax(170px, 230px) 150px 150px 1fr' };
