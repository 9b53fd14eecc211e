import type { Command } from 'commander';
import {
  findModules,
  MODULES,
  nearestWord,
  partOf,
  PARTS,
  showUnit,
  streamsOfModules,
  wiringOf,
  withPart,
  type Datastream,
  type Module,
} from '@peatmoor/core';
import { print, table } from './output';
import { readStream, type StreamIn } from './readStream';
import { UsageError } from './settings';

/** Datastreams that were named one by one, and those of parts. */
export function readStreams(options: { stream?: string[]; part?: string[] }): StreamIn[] {
  const own = (options.stream ?? []).map(readStream);
  const modules = (options.part ?? []).map(readModule);
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  return [
    ...own,
    ...streamsOfModules(
      modules,
      zone,
      own.map((one) => ({ key: one.key, title: one.title, part: null, boardPin: '' })),
    ),
  ];
}

/** What a datastream becomes when it is said to come from a part. */
export function readPartOf(key: string): Partial<Datastream> {
  if (key === '') return { part: null };
  const part = partOf(key);
  if (part === undefined) {
    const near = nearestWord(
      key,
      PARTS.map((one) => one.key),
    );
    throw new UsageError(
      `"${key}" is not a part of one datastream.${near === undefined ? '' : ` Did you mean ${near}?`} All of them: peatmoor part list --json`,
    );
  }
  return withPart(part);
}

function readModule(key: string): Module {
  const module = MODULES.find((one) => one.key === key);
  if (module !== undefined) return module;
  const near = nearestWord(
    key,
    MODULES.map((one) => one.key),
  );
  throw new UsageError(
    `"${key}" is not a part.${near === undefined ? '' : ` Did you mean ${near}?`} All of them: peatmoor part list`,
  );
}

/** part list|show */
export function partCommands(program: Command): void {
  const part = program
    .command('part')
    .description('sensors and outputs that Peatmoor knows, with their wiring');
  part
    .command('list [words...]')
    .description('parts, found by what they measure')
    .addHelpText('after', '\nExamples:\n  peatmoor part list\n  peatmoor part list temperature')
    .action((words: string[], _options: unknown, command: Command) => {
      const found = findModules(words.join(' '));
      print(
        command,
        found.map(({ key, title, shortestS, pins, measures }) => ({
          key,
          title,
          shortestS,
          pins,
          measures: measures.map(({ title: measured, stream }) => ({ title: measured, ...stream })),
        })),
        (list) =>
          table(
            ['part', 'what it is', 'units'],
            list.map((one) => [
              one.key,
              one.title,
              [
                ...new Set(
                  one.measures.map(({ unit, direction, type }) =>
                    direction === 'control' ? 'output' : showUnit(unit) || type,
                  ),
                ),
              ].join(', '),
            ]),
            'No part is found by these words. See all: peatmoor part list',
          ),
      );
    });
  part
    .command('show <part>')
    .description('one part: what it measures, its wiring, and what a loose wire looks like')
    .addHelpText('after', '\nExample:\n  peatmoor part show climate-wire')
    .action((key: string, _options: unknown, command: Command) => {
      const module = readModule(key);
      const streams = streamsOfModules([module], 'UTC');
      const wired = wiringOf(streams)[0];
      print(command, { ...module, streams }, () =>
        [
          `${module.title}: at most every ${module.shortestS} s`,
          ...streams.map(
            (one) =>
              `  ${one.title}${one.unit === null ? '' : ` in ${showUnit(one.unit) || one.unit}`}${one.min !== null && one.max !== null ? `, ${one.min} to ${one.max}` : ''}${one.computation === null ? '' : ', computed'}`,
          ),
          ...(wired === undefined ? [] : ['', table(['part', 'board'], wired.lines, '')]),
          ...(module.looseWords === '' ? [] : ['', `A loose wire: ${module.looseWords}`]),
          ...(module.untried
            ? ['Worked out from data sheets; not yet tried on a board by anybody we know.']
            : []),
        ].join('\n'),
      );
    });
}
