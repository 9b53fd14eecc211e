import { Autocomplete, Box, Button, Link, MenuItem, TextField, Typography } from '@mui/material';
import { Suspense, useState, type ReactNode } from 'react';
import { mayDo, readLocation } from '@peatmoor/core';
import { KEY_SCOPES, type KeyScope, type Me } from '@peatmoor/contract';
import { Showing } from '../account/Showing';
import { under } from '../base';
import { useChange, useRead } from '../api';
import { useAsk } from '../parts/Ask';
import { Copyable } from '../parts/Copyable';
import { Heading, Section } from '../parts/Heading';
import { forgetAnswers } from '../parts/answers';
import { Notice } from '../parts/Notice';
import { WrongHereError } from '../parts/again';
import { KeptField } from '../parts/KeptField';
import { troubleOf } from '../parts/problems';
import { dates } from '../parts/time';
import { zones } from '../parts/zones';
import { later } from '../parts/later';
import { ink, MONO } from '../theme';

const Security = later(() => import('../account/Security'), 'Security');
const Leaving = later(() => import('../account/Security'), 'Leaving');
const Nodes = later(() => import('../workspace/Nodes'), 'Nodes');
const WorkspaceFile = later(() => import('../workspace/WorkspaceFile'), 'WorkspaceFile');

/** Your account, day or night, access keys, sign out. */
export function Settings(): ReactNode {
  const me = useRead('me').data;
  const signOut = useChange('signOut');
  if (me === undefined) return null;
  return (
    <>
      <Heading
        title="Settings"
        below={[me.user.name, me.user.email, `${me.role} of ${me.workspace.title}`]
          .filter(Boolean)
          .join(', ')}
      >
        <Button onClick={() => signOut.mutate({}, { onSuccess: leave })}>Sign out</Button>
      </Heading>
      <Showing me={me} />
      <Yourself me={me} />
      <Suspense>
        <Security me={me} />
      </Suspense>
      {me.role === 'owner' && <Workspace me={me} />}
      <Section title="How boards reach this service">
        <Copyable label="HTTP" text={me.address.httpUrl} />
        <Copyable label="MQTT" text={`${me.address.host} port ${me.address.mqttPort}`} />
        {me.address.localName !== null && (
          <Copyable label="By name, in this network" text={me.address.localName} />
        )}
      </Section>
      <Certificate owner={me.ownsService} />
      {me.ownsService && (
        <Suspense>
          <Nodes />
        </Suspense>
      )}
      <AccessKeys />
      <Section
        title="Command line and documentation"
        note="The service gives both away itself, also without the internet."
      >
        <Copyable
          label="Command line and typed client, for a computer with Node 20"
          text={`npm install -g ${location.origin}${under('/client.tgz')}`}
        />
        <Link href={under('/docs/index.html')}>Documentation</Link>
      </Section>
      {mayDo(me.role, 'change') && (
        <Suspense>
          <WorkspaceFile />
        </Suspense>
      )}
      <Suspense>
        <Leaving me={me} />
      </Suspense>
    </>
  );
}

/** Nothing of what was seen stays in this browser. */
function leave(): void {
  void forgetAnswers().finally(() => location.assign(under('/')));
}

/** What phones need for installing and alerts: https, by an authority of the service's own. */
function Certificate({ owner }: { owner: boolean }): ReactNode {
  const read = useRead('readCertificate');
  const make = useChange('makeCertificate', ['readCertificate']);
  const me = useRead('me').data;
  const state = read.data;
  if (state === undefined) return null;
  const trust = `${(me?.address.httpUrl ?? '').replace(/^https:/, 'http:')}/trust`;
  return (
    <Section title="Phones" note="Installing the page and alerts on a phone need https.">
      <Notice error={read.error ?? make.error} />
      {state.certificate === null ? (
        <Typography color="textSecondary">
          {state.inUse ? 'A certificate is set; phones need nothing else.' : 'No certificate yet.'}
        </Typography>
      ) : (
        <>
          <Typography>
            A certificate for {state.certificate.names.join(', ')}, until{' '}
            {dates().date(state.certificate.endsAt)}; it is renewed by itself.
            {!state.inUse && ' Start the service again, and it answers by it; boards are not cut off.'}
          </Typography>
          <Copyable label="Open on the phone" text={trust} />
        </>
      )}
      {owner && !(state.inUse && state.certificate === null) && (
        <Button sx={{ mt: 1 }} disabled={make.isPending} onClick={() => make.mutate({ body: {} })}>
          {state.certificate === null ? 'Make a certificate' : 'Make it anew'}
        </Button>
      )}
    </Section>
  );
}

/** One's own name, where one begins, and the password. */
function Yourself({ me }: { me: Me }): ReactNode {
  const change = useChange('changeMe', ['me', 'listPeople']);
  const kept = useChange('changeMe', ['me', 'listPeople']);
  const dashboards = useRead('listDashboards').data ?? [];
  const password = useChange('changePassword');
  const [before, setBefore] = useState('');
  const [next, setNext] = useState('');
  const trouble = troubleOf(password.error);
  return (
    <Section title="Yourself">
      <Box sx={{ display: 'grid', gap: 3, gridTemplateColumns: { sm: '260px 260px' } }}>
        <KeptField
          label="Your name"
          name="name"
          value={me.user.name}
          save={(text) => kept.mutateAsync({ body: { name: text.trim() } })}
        />
        <TextField
          select
          label="You begin with"
          value={me.user.start}
          onChange={({ target }) => change.mutate({ body: { start: target.value } })}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          <MenuItem value="">the overview</MenuItem>
          <MenuItem value="/devices">the devices</MenuItem>
          <MenuItem value="/events">the events</MenuItem>
          {dashboards.map(({ id, title }) => (
            <MenuItem key={id} value={`/dashboards/${id}`}>
              {title}
            </MenuItem>
          ))}
        </TextField>
      </Box>
      <Notice error={change.error} beside={['name']} />
      <Box
        component="form"
        onSubmit={(event) => {
          event.preventDefault();
          password.mutate(
            { body: { before, password: next } },
            { onSuccess: () => (setBefore(''), setNext('')) },
          );
        }}
        sx={{ display: 'flex', flexWrap: 'wrap', gap: 3, alignItems: 'flex-end', mt: 3 }}
      >
        <TextField
          label="Your password now"
          type="password"
          autoComplete="current-password"
          value={before}
          onChange={({ target }) => setBefore(target.value)}
          sx={{ width: 260 }}
          {...trouble('before')}
        />
        <TextField
          label="The new one"
          type="password"
          autoComplete="new-password"
          value={next}
          onChange={({ target }) => setNext(target.value)}
          sx={{ width: 260 }}
          {...trouble('password')}
        />
        <Button type="submit" disabled={before === '' || next === '' || password.isPending}>
          Change the password
        </Button>
      </Box>
      <Notice error={password.error} beside={['before', 'password']} />
      {password.isSuccess && <Notice tone="good">It is changed. You were signed out everywhere else.</Notice>}
    </Section>
  );
}

/** The workspace: its name, its clock and where it is. */
function Workspace({ me: { workspace } }: { me: Me }): ReactNode {
  const change = useChange('changeWorkspace', ['me', 'listTimetables']);
  const trouble = troubleOf(change.error);
  const kept = useChange('changeWorkspace', ['me', 'listTimetables']);
  const { place } = workspace;
  const keepPlace = async (text: string): Promise<unknown> => {
    const found = text.trim() === '' ? null : readLocation(text, 'place');
    if (found !== null && 'reason' in found) throw new WrongHereError(found.hint);
    return kept.mutateAsync({
      body: { place: found === null ? null : { lat: found.lat, lon: found.lon } },
    });
  };
  const keepRecords = (text: string): Promise<unknown> => {
    const days = Number(text);
    // What is no number is sent as it is, and refused by its name.
    const recordDays = text.trim() === '' ? null : Number.isFinite(days) ? days : (text as never);
    return kept.mutateAsync({ body: { recordDays } });
  };
  return (
    <Section title="The workspace" note="For everybody in it.">
      <Box sx={{ display: 'grid', gap: 3, gridTemplateColumns: { sm: 'repeat(3, 260px)' } }}>
        <KeptField
          label="Its name"
          name="title"
          value={workspace.title}
          save={(text) => kept.mutateAsync({ body: { title: text.trim() } })}
        />
        <Autocomplete
          options={zones()}
          value={workspace.zone}
          onChange={(_event, zone) => zone !== null && change.mutate({ body: { zone } })}
          disableClearable
          renderInput={(params) => (
            <TextField {...params} label="Time zone of its timetables" {...trouble('zone')} />
          )}
        />
        <KeptField
          label="Where it is, degrees north and east"
          placeholder="53.42, -1.86"
          name="place"
          value={place === null ? '' : `${place.lat}, ${place.lon}`}
          save={keepPlace}
          helperText="For sunrise, sunset and the night behind charts."
        />
        <KeptField
          label="Keep events, alerts and commands (days)"
          placeholder="1825 (five years)"
          name="recordDays"
          value={workspace.recordDays === null ? '' : String(workspace.recordDays)}
          save={keepRecords}
          helperText="Readings are kept as their datastreams say."
        />
      </Box>
      <Notice error={change.error} beside={['zone']} />
    </Section>
  );
}

const SCOPE_WORDS: Record<KeyScope, string> = {
  everything: 'everything you can do',
  read: 'look at everything',
  'read-device': 'look at one device',
  'report-device': 'report for one device',
};

function AccessKeys(): ReactNode {
  const keys = useRead('listKeys');
  const create = useChange('createKey', ['listKeys']);
  const remove = useChange('deleteKey', ['listKeys']);
  const ask = useAsk();
  const [title, setTitle] = useState('');
  const [scope, setScope] = useState<KeyScope>('everything');
  const [deviceId, setDeviceId] = useState('');
  const devices = useRead('listDevices').data ?? [];
  const ofOne = scope.endsWith('-device');
  return (
    <Section title="Access keys" note="For programs and the command line.">
      {keys.data?.map((key) => (
        <Box
          key={key.id}
          sx={{
            display: 'grid',
            gridTemplateColumns: '1fr auto',
            columnGap: 2,
            alignItems: 'center',
            borderTop: `1px solid ${ink.faint}`,
            py: 1,
          }}
        >
          <Box sx={{ minWidth: 0 }}>
            <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 2, alignItems: 'baseline' }}>
              <Box component="span" sx={{ fontWeight: 600 }}>
                {key.title}
              </Box>
              <Box component="span" sx={{ fontFamily: MONO, fontSize: '0.85em' }}>
                key_moor{key.fingerprint}…
              </Box>
            </Box>
            <Typography color="textSecondary" variant="body2">
              {[
                `${SCOPE_WORDS[key.scope]}${key.deviceId === null ? '' : ` ${key.deviceId}`}`,
                `made ${dates().date(key.createdAt)}`,
                key.endsAt !== null && `ends ${dates().date(key.endsAt)}`,
                key.usedAt !== null && `last used ${dates().dateTime(key.usedAt)}`,
              ]
                .filter(Boolean)
                .join(', ')}
            </Typography>
          </Box>
          <Button
            size="small"
            onClick={() =>
              void ask({
                title: `End the key ${key.title}?`,
                text: 'Whatever uses it is refused from now on: a program, a sheet, the command line.',
                action: 'End it',
              }).then((yes) => yes && remove.mutate({ params: { key: key.id } }))
            }
          >
            End it
          </Button>
        </Box>
      ))}
      <Notice error={keys.error ?? create.error ?? remove.error} beside={['title', 'deviceId']} />
      {create.data && <Copyable label="The new key, shown only now" text={create.data.secret} />}
      <Box
        component="form"
        onSubmit={(event) => (
          event.preventDefault(),
          create.mutate(
            { body: { title, scope, deviceId: ofOne ? deviceId : null } },
            { onSuccess: () => setTitle('') },
          )
        )}
        sx={{
          display: 'flex',
          gap: 2,
          flexWrap: { xs: 'wrap', sm: 'nowrap' },
          alignItems: 'flex-end',
          mt: 2,
          maxWidth: 860,
        }}
      >
        <TextField
          label="A new key for"
          {...troubleOf(create.error)('title')}
          placeholder="spreadsheet at the hut"
          value={title}
          onChange={({ target }) => setTitle(target.value)}
        />
        <TextField
          select
          label="It may"
          value={scope}
          onChange={({ target }) => setScope(target.value as KeyScope)}
        >
          {KEY_SCOPES.map((one) => (
            <MenuItem key={one} value={one}>
              {SCOPE_WORDS[one]}
            </MenuItem>
          ))}
        </TextField>
        {ofOne && (
          <TextField
            select
            label="Device"
            {...troubleOf(create.error)('deviceId')}
            value={deviceId}
            onChange={({ target }) => setDeviceId(target.value)}
          >
            {devices.map(({ id, name }) => (
              <MenuItem key={id} value={id}>
                {name}
              </MenuItem>
            ))}
          </TextField>
        )}
        <Button
          type="submit"
          disabled={create.isPending || title.trim() === '' || (ofOne && deviceId === '')}
        >
          Make it
        </Button>
      </Box>
    </Section>
  );
}
