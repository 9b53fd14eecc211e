import { Box, Button, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { mayDo } from '@peatmoor/core';
import type { Me } from '@peatmoor/contract';
import { under } from '../base';
import { useChange, useRead } from '../api';
import { useNow } from '../live';
import { useAsk } from '../parts/Ask';
import { Copyable } from '../parts/Copyable';
import { Section } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';
import { QrCode } from '../parts/QrCode';
import { showClock } from '../parts/time';
import { TakesOver, useLeftRules } from '../people/TakesOver';
import { ink } from '../theme';

const ROW = { display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'flex-end' } as const;
const FIELD = { width: 260 } as const;

/** The password, typed again before something that matters. */
function PasswordAgain({
  value,
  onChange,
  error,
}: {
  value: string;
  onChange: (value: string) => void;
  error: Error | null;
}): ReactNode {
  return (
    <TextField
      label="Your password"
      type="password"
      autoComplete="current-password"
      value={value}
      onChange={({ target }) => onChange(target.value)}
      sx={FIELD}
      {...troubleOf(error)('password')}
    />
  );
}

/** What keeps an account its person's: email, second factor, and where one is signed in. */
export function Security({ me }: { me: Me }): ReactNode {
  return (
    <>
      <Email me={me} />
      <SecondFactor />
      <Sessions />
    </>
  );
}

function Email({ me }: { me: Me }): ReactNode {
  const change = useChange('changeEmail');
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  const trouble = troubleOf(change.error);
  return (
    <Section
      title="Email"
      note={
        me.user.email === ''
          ? 'You have none, and sign in by your name. With one you can set a new password yourself, and be alerted by email.'
          : `${me.user.email}: for signing in, new passwords and alerts.`
      }
    >
      <Box
        component="form"
        onSubmit={(event) => (event.preventDefault(), change.mutate({ body: { email, password } }))}
        sx={ROW}
      >
        <TextField
          label="Another email"
          type="email"
          value={email}
          onChange={({ target }) => setEmail(target.value)}
          sx={FIELD}
          {...trouble('email')}
        />
        <PasswordAgain value={password} onChange={setPassword} error={change.error} />
        <Button type="submit" disabled={email === '' || password === '' || change.isPending}>
          Send a mail to confirm it
        </Button>
      </Box>
      <Notice error={change.error} beside={['email', 'password']} />
      {change.isSuccess && (
        <Notice tone="good">A mail is on its way. The email is yours once you press the link in it.</Notice>
      )}
    </Section>
  );
}

function SecondFactor(): ReactNode {
  const state = useRead('readFactor').data;
  const begin = useChange('newFactor');
  const use = useChange('useFactor', ['readFactor']);
  const end = useChange('endFactor', ['readFactor']);
  const [code, setCode] = useState('');
  const [password, setPassword] = useState('');
  if (state === undefined) return null;
  return (
    <Section
      title="Second factor"
      note="Six digits from an app on your phone, asked for beside the password at every sign-in."
    >
      {use.data && (
        <Copyable
          label="Recovery codes, shown only now: each signs you in once when the phone is not there"
          text={use.data.codes.join('\n')}
          file="recovery-codes.txt"
        />
      )}
      {state.on ? (
        <>
          <Typography sx={{ mb: 1 }}>It is on; {state.codesLeft} recovery codes are left.</Typography>
          <Box
            component="form"
            onSubmit={(event) => (
              event.preventDefault(),
              end.mutate(
                { body: { password } },
                { onSuccess: () => (setPassword(''), use.reset(), begin.reset()) },
              )
            )}
            sx={ROW}
          >
            <PasswordAgain value={password} onChange={setPassword} error={end.error} />
            <Button type="submit" disabled={password === '' || end.isPending}>
              Switch it off
            </Button>
          </Box>
          <Notice error={end.error} beside={['password']} />
        </>
      ) : begin.data === undefined ? (
        <Button disabled={begin.isPending} onClick={() => begin.mutate({})}>
          Set one up
        </Button>
      ) : (
        <Box sx={{ display: 'flex', gap: 3, flexWrap: 'wrap' }}>
          <QrCode text={begin.data.uri} label="The secret for the app" />
          <Box sx={{ flex: 1, minWidth: 260 }}>
            <Copyable label="Read the picture with the app, or type this" text={begin.data.secret} />
            <Box
              component="form"
              onSubmit={(event) => (
                event.preventDefault(),
                use.mutate(
                  { body: { secret: begin.data.secret, code, password } },
                  { onSuccess: () => (setCode(''), setPassword('')) },
                )
              )}
              sx={ROW}
            >
              <TextField
                label="The six digits it shows"
                value={code}
                autoComplete="one-time-code"
                onChange={({ target }) => setCode(target.value)}
                sx={FIELD}
                {...troubleOf(use.error)('code')}
              />
              <PasswordAgain value={password} onChange={setPassword} error={use.error} />
              <Button type="submit" disabled={code.trim() === '' || password === '' || use.isPending}>
                Switch it on
              </Button>
            </Box>
          </Box>
        </Box>
      )}
      <Notice error={begin.error ?? use.error} beside={['code', 'password']} />
    </Section>
  );
}

function Sessions(): ReactNode {
  const sessions = useRead('listSessions');
  const end = useChange('endSession', ['listSessions']);
  const endAll = useChange('endSessions', ['listSessions']);
  const now = useNow(60_000);
  const others = (sessions.data ?? []).filter(({ isThis }) => !isThis);
  return (
    <Section title="Where you are signed in">
      {sessions.data?.map(({ id, browser, seenAt, isThis }) => (
        <Box
          key={id}
          sx={{
            display: 'flex',
            gap: 2,
            alignItems: 'center',
            borderTop: `1px solid ${ink.faint}`,
            py: 0.75,
          }}
        >
          <Box sx={{ flex: 1 }}>
            {browser || 'a browser'}
            <Typography component="span" color="textSecondary" variant="body2" sx={{ ml: 1.5 }}>
              {isThis ? 'this one' : `last used ${showClock(seenAt, now)}`}
            </Typography>
          </Box>
          {!isThis && (
            <Button
              size="small"
              disabled={end.isPending}
              onClick={() => end.mutate({ params: { session: id } })}
            >
              Sign out
            </Button>
          )}
        </Box>
      ))}
      <Notice error={sessions.error ?? end.error ?? endAll.error} />
      {others.length > 1 && (
        <Button sx={{ mt: 1 }} disabled={endAll.isPending} onClick={() => endAll.mutate({})}>
          Sign out everywhere else
        </Button>
      )}
    </Section>
  );
}

/** Leaving a workspace, or altogether. */
export function Leaving({ me }: { me: Me }): ReactNode {
  const leave = useChange('leaveWorkspace');
  const remove = useChange('deleteAccount');
  const workspaces = useRead('listWorkspaces').data ?? [];
  const [password, setPassword] = useState('');
  const [taker, setTaker] = useState('');
  // Whoever may change no rule is not asked: an owner takes over.
  const may = mayDo(me.role, 'change');
  const others = (useRead('listPeople', undefined, may).data ?? []).some(
    ({ userId }) => userId !== null && userId !== me.user.id,
  );
  const left = useLeftRules({ userId: may ? me.user.id : null })(null);
  const asksWho = others && left.length > 0;
  const said = asksWho ? { takesOver: taker } : {};
  const unsaid = asksWho && taker === '';
  const ask = useAsk();
  const anew = (): void => location.assign(under('/'));
  const deleteIt = async (): Promise<void> => {
    const yes = await ask({
      title: 'Delete your account?',
      text: 'Workspaces that nobody else belongs to are deleted with it, with their devices and all readings. This cannot be undone.',
      action: 'Delete it',
    });
    if (yes) remove.mutate({ body: { password, withWorkspaces: true, ...said } }, { onSuccess: anew });
  };
  return (
    <Section title="Leaving">
      {asksWho && (
        <Box sx={{ ...ROW, mb: 2 }}>
          <TakesOver
            person={{ id: `person-${me.user.id}` }}
            rules={left}
            value={taker}
            onChange={setTaker}
            once="Once you have left, "
          />
        </Box>
      )}
      {workspaces.length > 1 && (
        <Button
          sx={{ mb: 2 }}
          disabled={unsaid || leave.isPending}
          onClick={() =>
            void ask({
              title: `Leave ${me.workspace.title}?`,
              text: 'You see nothing of it any more, and your access keys to it end. An owner can add you again.',
              action: 'Leave the workspace',
            }).then((yes) => yes && leave.mutate({ query: said }, { onSuccess: anew }))
          }
        >
          Leave {me.workspace.title}
        </Button>
      )}
      <Box sx={ROW}>
        <PasswordAgain value={password} onChange={setPassword} error={remove.error} />
        <Button
          color="error"
          disabled={unsaid || password === '' || remove.isPending}
          onClick={() => void deleteIt()}
        >
          Delete your account
        </Button>
      </Box>
      <Notice error={leave.error ?? remove.error} beside={['password']} />
    </Section>
  );
}
