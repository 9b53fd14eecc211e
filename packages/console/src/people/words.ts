import type { Role } from '@peatmoor/core';

export const ROLE_WORDS: Record<Role, string> = {
  none: 'none: only what is granted',
  viewer: 'viewer: looks',
  operator: 'operator: looks and steers',
  editor: 'editor: changes',
  owner: 'owner: people too',
};
