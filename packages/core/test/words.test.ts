import fs from 'node:fs';
import path from 'node:path';
import { counted, REFUSAL_REASONS } from '../src';

it('fits the word to the number', () => {
  expect([counted(1, 'device'), counted(0, 'device'), counted(2, 'device')]).toEqual([
    '1 device',
    '0 devices',
    '2 devices',
  ]);
  expect(counted(1, 'entry is', 'entries are')).toBe('1 entry is');
});

/** All source files that hold words for people. */
function sources(): [string, string][] {
  const root = path.join(__dirname, '../..');
  return ['core', 'contract', 'server', 'console', 'cli', 'demo'].flatMap((name) =>
    fs
      .readdirSync(path.join(root, name, 'src'), { recursive: true, encoding: 'utf8' })
      .filter((file) => /\.tsx?$/.test(file))
      .map((file): [string, string] => [
        `${name}/src/${file}`,
        fs.readFileSync(path.join(root, name, 'src', file), 'utf8'),
      ]),
  );
}

/** A number that may be one, before a word that is always many. */
const COUNT_BEFORE_MANY =
  /\$?\{(?![A-Z_0-9]+\})[^{}]*\} (?:open |new |more |refused )?(?:devices|sub-devices|readings|values|messages|rows|cells|bytes|letters|entries|tokens|steps|boards|points|places|files|datastreams|events|seconds|days|emails|keys)\b(?!=)/g;
/** What is counted beforehand, where one is said in another way. */
const ALLOWED = [/=== 1/, /> 1/, /dates\(\)\.number/, /counted\(/, /MOST_/];

/** Words that are ours inside, and mean nothing to a maker. */
const INTERNAL = /\b(rowId|workspaceId|seriesId|deviceRowId|streamKey|undefined|NaN)\b/;

const wrongIn = (text: string): string[] =>
  text
    .split('\n')
    .filter((line) => !ALLOWED.some((one) => one.test(line)) && line.match(COUNT_BEFORE_MANY) !== null);

it('is fitted everywhere a number stands before what is counted', () => {
  expect(wrongIn('`${count} readings are deleted.`')).toHaveLength(1);
  expect(wrongIn('{list.length} devices')).toHaveLength(1);
  expect(wrongIn("`${counted(count, 'reading')}`")).toEqual([]);
  const wrong = sources().flatMap(([file, text]) => wrongIn(text).map((line) => `${file}: ${line.trim()}`));
  expect(wrong).toEqual([]);
});

it('leaves inner names out of what people read', () => {
  const said = /(?:notFound|wrongField|conflict|ProblemError|refusal|say)\(([^;]*?)\);/gs;
  const wrong = sources().flatMap(([file, text]) =>
    [...text.matchAll(said)].flatMap(([, inside]) =>
      (inside!.match(/'[^'\n]*'/g) ?? [])
        .filter((words) => words.includes(' ') && INTERNAL.test(words))
        .map((words) => `${file}: ${words}`),
    ),
  );
  expect(wrong).toEqual([]);
});

it('of every refusal reason is small letters with hyphens', () => {
  for (const reason of REFUSAL_REASONS) expect(reason).toMatch(/^[a-z]+(-[a-z]+)*$/);
});
