/** Dates and times as ISO 8601 writes them, in figures only. */
export const FIGURES_ONLY = 'iso';

/** In which languages dates and numbers can be shown: tags of BCP 47, and figures only. The first is that of whoever chose none. */
export const LANGUAGES = [
  'en-GB',
  FIGURES_ONLY,
  'en-US',
  'en-AU',
  'en-CA',
  'en-IE',
  'en-IN',
  'en-NZ',
  'en-ZA',
  'bg',
  'ca',
  'cs',
  'cy',
  'da',
  'de',
  'de-AT',
  'de-CH',
  'el',
  'es',
  'es-MX',
  'et',
  'fi',
  'fr',
  'fr-CA',
  'fr-CH',
  'ga',
  'hr',
  'hu',
  'id',
  'is',
  'it',
  'ja',
  'ko',
  'lt',
  'lv',
  'nb',
  'nl',
  'pl',
  'pt',
  'pt-BR',
  'ro',
  'sk',
  'sl',
  'sr',
  'sv',
  'tr',
  'uk',
  'vi',
  'zh-CN',
  'zh-TW',
] as const;
export type Language = (typeof LANGUAGES)[number];

/** A language by its own name; figures only by what they look like. */
export function languageName(language: Language): string {
  if (language === FIGURES_ONLY) return 'figures only: 2026-11-28';
  return new Intl.DisplayNames([language], { type: 'language', languageDisplay: 'standard' }).of(language)!;
}
