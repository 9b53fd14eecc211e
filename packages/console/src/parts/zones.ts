let all: string[] | undefined;

/** Time zones that can be chosen, UTC first. */
export function zones(): readonly string[] {
  all ??= ['UTC', ...Intl.supportedValuesOf('timeZone').filter((zone) => zone !== 'UTC')];
  return all;
}
