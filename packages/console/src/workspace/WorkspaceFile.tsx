import { Box, Button, Checkbox, FormControlLabel, Typography } from '@mui/material';
import { useEffect, useMemo, useState, type ReactNode } from 'react';
import { planLines, type Plan } from '@peatmoor/core';
import { ApiError, type WorkspaceDocument } from '@peatmoor/contract';
import { api, useChange } from '../api';
import { saveFile } from '../charts/saving';
import { Copyable } from '../parts/Copyable';
import { FileButton } from '../parts/FileButton';
import { Section } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { ink, MONO } from '../theme';

// What reads and writes the text is fetched when it is needed.
const textOf = () => import('@peatmoor/contract/workspace-file');

/** The workspace as a text file: download it, drop one, read what applying it would do, apply it. */
export function WorkspaceFile(): ReactNode {
  const plan = useChange('planFile');
  const apply = useChange('applyFile');
  const [file, setFile] = useState<{ name: string; text: string; document: WorkspaceDocument } | null>(null);
  const [deletes, setDeletes] = useState(false);
  const [trouble, setTrouble] = useState('');
  const [over, setOver] = useState(false);
  const look = (document: WorkspaceDocument, withDeleting: boolean): void =>
    plan.mutate({ body: { document, delete: withDeleting } });
  const take = async (chosen: File): Promise<void> => {
    apply.reset();
    plan.reset();
    setFile(null);
    const text = await chosen.text();
    const { readWorkspaceText } = await textOf();
    try {
      const document = readWorkspaceText(text);
      setTrouble('');
      setFile({ name: chosen.name, text, document });
      look(document, deletes);
    } catch (error) {
      setTrouble(`${chosen.name}: ${(error as Error).message}`);
    }
  };
  const download = async (): Promise<void> => {
    const { writeWorkspaceText } = await textOf();
    saveFile('workspace.yaml', writeWorkspaceText(await api.call('readFile')), 'application/yaml');
  };
  const refusal = apply.error ?? plan.error;
  return (
    <Section
      title="The workspace as a file"
      note="Kinds, devices, dashboards, rules, grants and links as text, without readings and secrets: to keep, to compare, to bring back."
    >
      <Box
        onDragOver={(event) => (event.preventDefault(), setOver(true))}
        onDragLeave={() => setOver(false)}
        onDrop={(event) => {
          event.preventDefault();
          setOver(false);
          const [dropped] = event.dataTransfer.files;
          if (dropped !== undefined) void take(dropped);
        }}
        sx={{
          display: 'flex',
          flexWrap: 'wrap',
          gap: 2,
          alignItems: 'center',
          p: 2,
          border: `1px dashed ${over ? ink.heather : ink.line}`,
        }}
      >
        <Button onClick={() => void download()}>Download it</Button>
        <FileButton accept=".yaml,.yml" onChoose={(chosen) => void take(chosen)}>
          Choose a file
        </FileButton>
        <Typography color="textSecondary">or drop one here, to see what it would do</Typography>
      </Box>
      {trouble !== '' && (
        <Notice>
          <Box component="span" sx={{ whiteSpace: 'pre-line' }}>
            {trouble}
          </Box>
        </Notice>
      )}
      {refusal !== null && file !== null && <Refusal error={refusal} text={file.text} name={file.name} />}
      {file !== null && plan.data && apply.data === undefined && (
        <>
          <PlanView plan={plan.data} name={file.name} />
          <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
            <FormControlLabel
              control={
                <Checkbox
                  checked={deletes}
                  onChange={(_, checked) => (setDeletes(checked), look(file.document, checked))}
                />
              }
              label="Delete what is not in the file"
            />
            <Button
              variant="contained"
              disabled={plan.data.steps.length === 0 || apply.isPending || plan.isPending}
              onClick={() => apply.mutate({ body: { document: file.document, delete: deletes } })}
            >
              Apply it
            </Button>
          </Box>
        </>
      )}
      {apply.data && (
        <>
          <Notice tone="good">
            Done: {apply.data.steps.length} {apply.data.steps.length === 1 ? 'step' : 'steps'}.
          </Notice>
          {apply.data.given.length > 0 && (
            <Copyable
              label="Tokens, addresses and secrets of what is new, shown only now"
              text={apply.data.given
                .map(({ what, name, secret }) => `${what} ${name}   ${secret}`)
                .join('\n')}
              file="new-secrets.txt"
            />
          )}
        </>
      )}
    </Section>
  );
}

const TONE = { '+': ink.moss, '~': ink.pool, '-': ink.rowan } as const;

/** The lines of a plan: what is made, changed and deleted. */
function PlanView({ plan, name }: { plan: Plan; name: string }): ReactNode {
  const lines = planLines(plan);
  return (
    <Box sx={{ my: 2 }}>
      <Typography sx={{ mb: 1 }} role="status">
        {lines.length === 0
          ? `Nothing to do: the workspace is as ${name} says.`
          : `What applying ${name} would do:`}
      </Typography>
      {lines.length > 0 && (
        <Box
          component="pre"
          sx={{
            m: 0,
            fontFamily: MONO,
            fontSize: '0.85rem',
            whiteSpace: 'pre-wrap',
            maxHeight: 420,
            overflow: 'auto',
          }}
        >
          {lines.map((line, i) => (
            <Box
              key={i}
              component="span"
              sx={{
                display: 'block',
                color: TONE[line[0] as '+'] ?? ink.soft,
                fontWeight: TONE[line[0] as '+'] === undefined ? 400 : 700,
              }}
            >
              {line}
            </Box>
          ))}
        </Box>
      )}
      {plan.stays.length > 0 && (
        <Typography color="textSecondary" variant="body2" sx={{ mt: 1 }}>
          Not in the file, and stays:{' '}
          {plan.stays
            .slice(0, 10)
            .map((one) => `${one.what} ${one.within === undefined ? '' : `${one.within} / `}${one.name}`)
            .join(', ')}
          {plan.stays.length > 10 ? ` and ${plan.stays.length - 10} more` : ''}.
        </Typography>
      )}
    </Box>
  );
}

/** What the service refused, each at its line in the file. */
function Refusal({ error, text, name }: { error: Error; text: string; name: string }): ReactNode {
  const [places, setPlaces] = useState<string[]>([]);
  const problems = useMemo(() => (error instanceof ApiError ? (error.problem.errors ?? []) : []), [error]);
  useEffect(() => {
    void textOf().then(({ placeInText }) =>
      setPlaces(
        problems.map(({ field }) => {
          const { line, column } = placeInText(text, field);
          return `${name}, line ${line}, column ${column}: `;
        }),
      ),
    );
  }, [text, name, problems]);
  if (problems.length === 0) return <Notice error={error} />;
  return (
    <Notice>
      {problems.map(({ field, reason, remedy }, i) => (
        <Box key={field}>
          {places[i]}
          {field.replace(/^document\.?/, '')} {reason}. {remedy}
        </Box>
      ))}
    </Notice>
  );
}
