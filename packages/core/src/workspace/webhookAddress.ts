/** The part of a webhook's address that everybody may see; what stands behind the host is usually a secret. */
export function hostOf(address: string): string {
  return URL.canParse(address) ? new URL(address).origin : '';
}

/** True where an address ends with its host: nothing that could be a secret is in it. */
export function isHostAlone(address: string): boolean {
  return address.replace(/\/$/, '') === hostOf(address);
}

/** What an address from a file means, where one of that name is there already: a host alone keeps what is behind it. */
export function keepingSecret(address: string, known: string | undefined): string {
  return known !== undefined && isHostAlone(address) && hostOf(address) === hostOf(known) ? known : address;
}
