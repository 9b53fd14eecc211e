import Bowser from 'bowser';

/** Which browser on which system, in two words, as far as it says so. */
export function browserWords(userAgent: string | undefined): string {
  if (userAgent === undefined || userAgent === '') return 'a program';
  const { browser, os } = Bowser.parse(userAgent);
  if (browser.name === undefined || browser.name === '') return userAgent.slice(0, 60);
  return `${browser.name}${os.name === undefined ? '' : ` on ${os.name}`}`.slice(0, 120);
}
