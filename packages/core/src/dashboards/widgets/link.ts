import type { WidgetSort } from './sort';

/** Addresses that a link may lead to: of the web, of mail and telephone, and pages of this console. */
const ADDRESS = /^(https?:\/\/[^\s]+|mailto:[^\s]+|tel:[+\d -]+|\/(?![/\\])[^\s]*)$/i;

export const link = {
  type: 'link',
  title: 'Link',
  purpose: 'leads to another dashboard, or elsewhere',
  takes: [],
  controls: false,
  mostSources: 0,
  size: { w: 3, h: 1 },
  least: { w: 2, h: 1 },
  phone: 'low',
  options: {
    words: { kind: 'text', title: 'Words', usual: '', most: 80 },
    address: { kind: 'text', title: 'Address', usual: '', most: 500, hint: '/dashboards/2 or https://…' },
  },
  check: ({ address }) =>
    typeof address === 'string' && address !== '' && !ADDRESS.test(address)
      ? {
          option: 'address',
          reason: 'is not an address that a link may lead to',
          remedy: 'Write one that begins with https://, mailto:, tel:, or with / for a page of this console.',
        }
      : null,
  liking: () => 0,
  version: 1,
} as const satisfies WidgetSort;
