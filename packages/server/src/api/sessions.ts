import { randomBytes } from 'node:crypto';
import type { Request, Response } from 'express';
import type { Me } from '@peatmoor/contract';
import { hashSecret } from '../registry';
import { findOne, insert } from '../store/rows';
import type { ApiParts } from './context';
import { browserWords } from '../auth/browser';
import { createPasswordTries } from '../auth/passwordTries';
import { scopeOf, SESSION_COOKIE, SESSION_MS, type Scope } from './scope';
import { now as clockNow } from '../clock';

/** Sessions of people, and what they are told of themselves. */
export interface Sessions {
  me(scope: Scope): Me;
  /** Starts one and sets its cookie. */
  start(request: Request, response: Response, userId: number, workspaceId: number): Promise<Me>;
  /** Remembers that this browser knows the password of an account as it is now. */
  remember(request: Request, response: Response, userId: number): Promise<void>;
}

export function createSessions({ store, config, address, sealer }: ApiParts): Sessions {
  const tries = createPasswordTries(store, sealer);
  const secure = config.tls !== null || (config.publicUrl?.startsWith('https:') ?? false);
  const me = (scope: Scope): Me => ({
    user: {
      id: scope.userId,
      email: scope.email,
      name: scope.userName,
      units: scope.units,
      ...scope.choices,
    },
    workspace: scope.workspace,
    role: scope.role,
    steers: scope.reach?.steers ?? false,
    ownsService: scope.isFirst && scope.role === 'owner',
    address: address(),
    version: scope.userVersion,
  });
  const remember = async (request: Request, response: Response, userId: number): Promise<void> =>
    tries.remember(response, request, (await findOne(store.models.users, { id: userId }))!, secure);
  return {
    me,
    remember,
    async start(request, response, userId, workspaceId) {
      const id = randomBytes(24).toString('base64url');
      const now = clockNow();
      await insert(store.models.sessions, {
        idHash: hashSecret(id),
        userId,
        workspaceId,
        createdAt: now,
        endsAt: now + SESSION_MS,
        seenAt: now,
        browser: browserWords(request.headers['user-agent']),
      });
      await store.models.users.update({ workspaceId }, { where: { id: userId } });
      response.cookie(SESSION_COOKIE, id, {
        httpOnly: true,
        sameSite: 'strict',
        secure,
        maxAge: SESSION_MS,
        path: '/',
      });
      await remember(request, response, userId);
      request.headers.cookie = `${SESSION_COOKIE}=${id}`;
      delete request.headers.authorization;
      return me((await scopeOf(store, request))!);
    },
  };
}
