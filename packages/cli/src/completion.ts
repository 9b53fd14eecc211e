import type { Command } from 'commander';
import { say } from './output';
import { readSettings, signedInClient, UsageError } from './settings';

const SHELLS = ['bash', 'zsh', 'fish'] as const;
type Shell = (typeof SHELLS)[number];
/** What a shell has to be told once, in its start file: it asks the command itself for what may come next. */
const LINES: Record<Shell, string> = {
  bash: `_peatmoor() {
  mapfile -t COMPREPLY < <(compgen -W "$(peatmoor complete -- "\${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null)" -- "\${COMP_WORDS[COMP_CWORD]}")
}
complete -o default -F _peatmoor peatmoor`,
  zsh: `#compdef peatmoor
_peatmoor() {
  local -a found
  found=("\${(@f)$(peatmoor complete -- "\${(@)words[2,CURRENT]}" 2>/dev/null)}")
  compadd -a found
}
compdef _peatmoor peatmoor`,
  fish: `complete -c peatmoor -f -a '(set -l words (commandline -opc) (commandline -ct); peatmoor complete -- $words[2..-1] 2>/dev/null)'`,
};

/** completion bash|zsh|fish, and what the shell asks by it. */
export function completionCommands(program: Command): void {
  program
    .command('completion <shell>')
    .description(`lines that complete commands, options and devices on Tab: ${SHELLS.join(', ')}`)
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor completion bash >> ~/.bashrc\n  peatmoor completion fish > ~/.config/fish/completions/peatmoor.fish',
    )
    .action((shell: string) => {
      const lines = LINES[shell as Shell] as string | undefined;
      if (lines === undefined)
        throw new UsageError(`"${shell}" is not a shell this knows; there are: ${SHELLS.join(', ')}.`);
      say(lines);
    });
  program
    .command('complete [words...]', { hidden: true })
    .action(async (words: string[]) => say((await candidates(program, words)).join('\n')));
}

/** What may stand in place of the last word: commands, options, or what the argument names. */
async function candidates(program: Command, words: string[]): Promise<string[]> {
  const last = words.at(-1) ?? '';
  let one = program;
  let place = 0;
  for (const word of words.slice(0, -1)) {
    const inner = one.commands.find((command) => command.name() === word);
    if (inner !== undefined && place === 0) one = inner;
    else if (!word.startsWith('-')) place++;
  }
  const options = [...one.options, ...program.options].flatMap(({ long }) => long ?? []);
  if (last.startsWith('-')) return options.filter((option) => option.startsWith(last));
  const commands = place === 0 ? one.commands.filter((command) => command.name() !== 'complete') : [];
  const argument = one.registeredArguments[place]?.name() ?? '';
  const found = [...commands.map((command) => command.name()), ...(await named(argument))];
  return found.filter((text) => text.startsWith(last));
}

/** Names of things there are, for an argument; none where nobody is signed in or the service does not answer soon. */
async function named(argument: string): Promise<string[]> {
  if (readSettings() === null) return [];
  const client = signedInClient();
  try {
    if (argument === 'device')
      return (await client.call('listDevices', { withinMs: 2000 })).map(({ id }) => id);
    if (argument === 'kind')
      return (await client.call('listKinds', { withinMs: 2000 })).map(({ title }) => title);
    if (argument === 'rule')
      return (await client.call('listRules', { withinMs: 2000 })).map(({ id }) => String(id));
  } catch {
    // A Tab says nothing.
  }
  return [];
}
