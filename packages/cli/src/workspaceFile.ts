import fs from 'node:fs';
import { Command } from 'commander';
import { counted, planLines, sayStep, type Plan } from '@peatmoor/core';
import { ApiError, type WorkspaceDocument } from '@peatmoor/contract';
import { placeInText, readWorkspaceText, writeWorkspaceText } from '@peatmoor/contract/workspace-file';
import { kindByName } from './kindByName';
import { done, print } from './output';
import { signedInClient, UsageError } from './settings';

const SIGNS = { '+': 'to make', '~': 'to change', '-': 'to delete' } as const;

/** workspace export|plan|apply|schema: the workspace as a text file. */
export function workspaceCommands(program: Command): void {
  const workspace = program
    .command('workspace')
    .description('the definitions of the workspace as a text file, to keep, compare, and bring back');
  workspace
    .command('export [file]')
    .description(
      'write kinds, devices, dashboards, rules, grants and links as a file; to the screen without a name',
    )
    .option('--kind <kind>', 'only this kind with its dashboards and rules, to pass on')
    .addHelpText('after', '\nExample:\n  peatmoor workspace export moss.yaml')
    .action(async (file: string | undefined, options: { kind?: string }, command: Command) => {
      const client = signedInClient();
      const kind = options.kind === undefined ? undefined : (await kindByName(client, options.kind)).id;
      const document = await client.call('readFile', { query: kind === undefined ? {} : { kind } });
      const { json } = command.optsWithGlobals<{ json?: boolean }>();
      const text = json ? `${JSON.stringify(document, null, 2)}\n` : writeWorkspaceText(document);
      if (file === undefined) return void process.stdout.write(text);
      fs.writeFileSync(file, text);
      done(command, { file, ...document }, `Written to ${file}: ${countsOf(document)}.`);
    });
  workspace
    .command('plan <file>')
    .description('say what applying a file would do, and do nothing')
    .option('--delete', 'with what would be deleted because the file does not name it')
    .option('--check', 'end with 1 where anything differs, for a build server')
    .option('--sentences', 'in sentences, one a step')
    .addHelpText('after', '\nExample:\n  peatmoor workspace plan moss.yaml --check')
    .action(
      async (
        file: string,
        options: { delete?: boolean; check?: boolean; sentences?: boolean },
        command: Command,
      ) => {
        const { text, document } = readFile(file);
        const plan = await signedInClient()
          .call('planFile', { body: { document, delete: options.delete ?? false } })
          .catch((error: unknown) => {
            throw placed(error, file, text);
          });
        print(command, plan, (one) => showPlan(one, options.sentences ?? false));
        if (options.check && plan.steps.length > 0) process.exitCode = 1;
      },
    );
  workspace
    .command('apply <file>')
    .description('make the workspace what the file says: all of it, or nothing')
    .option('--delete', 'delete what is there and not in the file')
    .addHelpText('after', '\nExample:\n  peatmoor workspace apply moss.yaml')
    .action(async (file: string, options: { delete?: boolean }, command: Command) => {
      const { text, document } = readFile(file);
      const done = await signedInClient()
        .call('applyFile', { body: { document, delete: options.delete ?? false } })
        .catch((error: unknown) => {
          throw placed(error, file, text);
        });
      print(command, done, ({ given, ...plan }) =>
        [
          ...(plan.steps.length === 0 ? [] : [...planLines(plan), '']),
          plan.steps.length === 0
            ? 'Nothing to do: the workspace is as the file says.'
            : `Done: ${summary(plan)}.`,
          ...staysOf(plan),
          ...(given.length === 0
            ? []
            : [
                '',
                'Shown only now:',
                ...given.map(({ what, name, secret }) => `  ${what} ${name}   ${secret}`),
              ]),
        ].join('\n'),
      );
    });
}

function readFile(file: string): { text: string; document: WorkspaceDocument } {
  let text: string;
  try {
    text = fs.readFileSync(file, 'utf8');
  } catch (error) {
    throw new UsageError(`${file} cannot be read: ${(error as Error).message}`);
  }
  try {
    return { text, document: readWorkspaceText(text) };
  } catch (error) {
    // One line for each problem, as editors and build servers read them.
    throw new Error(
      (error as Error).message
        .split('\n')
        .map((line) => line.replace(/^line (\d+), column (\d+)/, `${file}:$1:$2`))
        .join('\n'),
      { cause: error },
    );
  }
}

/** What the service refused, at its line and column in the file. */
function placed(error: unknown, file: string, text: string): unknown {
  if (!(error instanceof ApiError)) return error;
  const problems = error.problem.errors ?? [];
  if (problems.length === 0) return error;
  return new Error(
    problems
      .map((one) => {
        const { line, column } = placeInText(text, one.field);
        const field = one.field.replace(/^document\.?/, '');
        return `${file}:${line}:${column}: ${field} ${one.reason}. ${one.remedy}`;
      })
      .join('\n'),
  );
}

function showPlan(plan: Plan, sentences: boolean): string {
  if (plan.steps.length === 0)
    return ['Nothing to do: the workspace is as the file says.', ...staysOf(plan)].join('\n');
  return [
    ...(sentences ? plan.steps.map(sayStep) : planLines(plan)),
    '',
    `${summary(plan)}. Nothing was changed.`,
    ...staysOf(plan),
  ].join('\n');
}

function summary({ steps }: Pick<Plan, 'steps'>): string {
  return (['+', '~', '-'] as const)
    .map((sign) => [SIGNS[sign], steps.filter((step) => step.sign === sign).length] as const)
    .filter(([, count]) => count > 0)
    .map(([words, count]) => `${count} ${words}`)
    .join(', ');
}

function staysOf({ stays }: Pick<Plan, 'stays'>): string[] {
  if (stays.length === 0) return [];
  const names = stays
    .slice(0, 8)
    .map(({ what, name, within }) => `${what} ${within === undefined ? '' : `${within} / `}${name}`);
  return [
    `Not in the file, and stays (--delete deletes it): ${names.join(', ')}${stays.length > 8 ? ` and ${stays.length - 8} more` : ''}.`,
  ];
}

function countsOf(document: WorkspaceDocument): string {
  return (['kinds', 'devices', 'dashboards', 'rules', 'links'] as const)
    .flatMap((part) => {
      const count = document[part]?.length ?? 0;
      return count === 0 ? [] : counted(count, part === 'links' ? 'share link' : part.slice(0, -1));
    })
    .join(', ');
}
