import { createHash, randomBytes, webcrypto, X509Certificate as Checked } from 'node:crypto';
import fs from 'node:fs';
import { isIP } from 'node:net';
import os from 'node:os';
import path from 'node:path';
import type * as X509 from '@peculiar/x509';
import { now as clockNow } from '../clock';

const DAY_MS = 86_400_000;
const AUTHORITY_DAYS = 3653;
/** Phones take no certificate that lives longer. */
const CERTIFICATE_DAYS = 825;
/** So long before its end a certificate is made anew. */
const RENEW_MS = 60 * DAY_MS;
/** Clocks of phones may be a little behind. */
const BEFORE_MS = DAY_MS;
const KEYS = { name: 'ECDSA', namedCurve: 'P-256' } as const;
const SIGNING = { ...KEYS, hash: 'SHA-256' } as const;

/** A certificate and its key (PEM). */
export interface Pair {
  cert: Buffer;
  key: Buffer;
}

/** The certificate that a local authority made for this service. */
export interface LocalCertificate {
  names: string[];
  startsAt: number;
  endsAt: number;
  /** Fingerprint of the authority (SHA-256), to compare on the phone. */
  fingerprint: string;
}

const folderOf = (dataFolder: string): string => path.join(dataFolder, 'certificate');
const fileOf = (dataFolder: string, name: string): string => path.join(folderOf(dataFolder), name);

/** Names and addresses under which this machine is reached in its network. */
export function ownNames(publicHost: string | null, localName: string | null): string[] {
  const addresses = Object.values(os.networkInterfaces())
    .flat()
    .flatMap((entry) =>
      entry === undefined || entry.internal || entry.family !== 'IPv4' ? [] : entry.address,
    );
  const host = os.hostname().toLowerCase().split('.')[0]!;
  return [
    ...new Set([
      ...(publicHost === null ? [] : [publicHost]),
      // Starters look for this name first.
      ...(localName === null ? [] : [`${localName}.local`]),
      host,
      `${host}.local`,
      'localhost',
      '127.0.0.1',
      ...addresses,
    ]),
  ];
}

type Library = typeof X509;

/** What makes certificates: three megabytes that most starts never need. */
async function library(): Promise<Library> {
  await import('reflect-metadata');
  const x509 = await import('@peculiar/x509');
  x509.cryptoProvider.set(webcrypto as never);
  return x509;
}

async function exported(x509: Library, key: webcrypto.CryptoKey): Promise<string> {
  return x509.PemConverter.encode(await webcrypto.subtle.exportKey('pkcs8', key), 'PRIVATE KEY');
}

async function imported(x509: Library, pem: Buffer): Promise<webcrypto.CryptoKey> {
  return webcrypto.subtle.importKey('pkcs8', x509.PemConverter.decodeFirst(pem.toString()), KEYS, true, [
    'sign',
  ]);
}

/** Writes a file whole or not at all; keys are for the service alone. */
function write(file: string, text: string, secret: boolean): void {
  fs.writeFileSync(`${file}.new`, text, { mode: secret ? 0o600 : 0o644 });
  fs.renameSync(`${file}.new`, file);
}

const newSerial = (): string => {
  const bytes = randomBytes(16);
  // Positive, and not shorter than said (RFC 5280 §4.1.2.2).
  bytes[0] = (bytes[0]! & 0x7f) | 0x40;
  return bytes.toString('hex');
};

/** The authority of this data folder, made for ten years when it is first needed (RFC 5280). */
async function authorityOf(
  x509: Library,
  dataFolder: string,
): Promise<{ cert: X509.X509Certificate; key: webcrypto.CryptoKey }> {
  const certFile = fileOf(dataFolder, 'authority.crt');
  const keyFile = fileOf(dataFolder, 'authority.key');
  if (fs.existsSync(certFile) && fs.existsSync(keyFile))
    return {
      cert: new x509.X509Certificate(fs.readFileSync(certFile, 'utf8')),
      key: await imported(x509, fs.readFileSync(keyFile)),
    };
  const keys = await webcrypto.subtle.generateKey(KEYS, true, ['sign', 'verify']);
  const cert = await x509.X509CertificateGenerator.createSelfSigned({
    serialNumber: newSerial(),
    name: `CN=Peatmoor of ${os.hostname().replace(/[^\w.-]/g, '')}`,
    notBefore: new Date(clockNow() - BEFORE_MS),
    notAfter: new Date(clockNow() + AUTHORITY_DAYS * DAY_MS),
    signingAlgorithm: SIGNING,
    keys: keys as never,
    extensions: [
      new x509.BasicConstraintsExtension(true, 0, true),
      new x509.KeyUsagesExtension(x509.KeyUsageFlags.keyCertSign | x509.KeyUsageFlags.cRLSign, true),
      await x509.SubjectKeyIdentifierExtension.create(keys.publicKey as never),
    ],
  });
  write(keyFile, await exported(x509, keys.privateKey), true);
  write(certFile, cert.toString('pem'), false);
  return { cert, key: keys.privateKey };
}

/** Makes a certificate of the folder's own authority for some names and addresses, for 825 days at most. */
export async function makeLocalCertificate(
  dataFolder: string,
  names: readonly string[],
): Promise<LocalCertificate> {
  const x509 = await library();
  fs.mkdirSync(folderOf(dataFolder), { recursive: true, mode: 0o700 });
  const authority = await authorityOf(x509, dataFolder);
  const keys = await webcrypto.subtle.generateKey(KEYS, true, ['sign', 'verify']);
  const cert = await x509.X509CertificateGenerator.create({
    serialNumber: newSerial(),
    subject: `CN=${names[0]!}`,
    issuer: authority.cert.subject,
    notBefore: new Date(clockNow() - BEFORE_MS),
    notAfter: new Date(clockNow() - BEFORE_MS + CERTIFICATE_DAYS * DAY_MS),
    signingAlgorithm: SIGNING,
    publicKey: keys.publicKey as never,
    signingKey: authority.key as never,
    extensions: [
      new x509.BasicConstraintsExtension(false, undefined, true),
      new x509.KeyUsagesExtension(x509.KeyUsageFlags.digitalSignature, true),
      new x509.ExtendedKeyUsageExtension([x509.ExtendedKeyUsage.serverAuth]),
      new x509.SubjectAlternativeNameExtension(
        names.map((value) => ({ type: isIP(value) === 0 ? 'dns' : 'ip', value }) as const),
      ),
      await x509.SubjectKeyIdentifierExtension.create(keys.publicKey as never),
      await x509.AuthorityKeyIdentifierExtension.create(authority.cert),
    ],
  });
  write(fileOf(dataFolder, 'service.key'), await exported(x509, keys.privateKey), true);
  write(
    fileOf(dataFolder, 'service.crt'),
    `${cert.toString('pem')}\n${authority.cert.toString('pem')}\n`,
    false,
  );
  return readLocalCertificate(dataFolder)!;
}

/** What the folder's certificate says; null where there is none. */
export function readLocalCertificate(dataFolder: string): LocalCertificate | null {
  const file = fileOf(dataFolder, 'service.crt');
  const authority = readAuthority(dataFolder);
  if (!fs.existsSync(file) || authority === null) return null;
  const cert = new Checked(fs.readFileSync(file));
  return {
    names: (cert.subjectAltName ?? '').split(', ').map((one) => one.replace(/^[^:]+:/, '')),
    startsAt: Date.parse(cert.validFrom),
    endsAt: Date.parse(cert.validTo),
    fingerprint: createHash('sha256')
      .update(new Checked(authority).raw)
      .digest('hex')
      .toUpperCase()
      .replace(/..(?=.)/g, '$&:'),
  };
}

/** The authority's certificate (PEM), which phones must be told to trust; null where there is none. */
export function readAuthority(dataFolder: string): Buffer | null {
  const file = fileOf(dataFolder, 'authority.crt');
  return fs.existsSync(file) ? fs.readFileSync(file) : null;
}

/** The pair to serve with, made anew where it ends soon; null where no certificate was made. */
export async function localPair(dataFolder: string): Promise<Pair | null> {
  const known = readLocalCertificate(dataFolder);
  if (known === null) return null;
  // One that begins only later was made while the clock was wrong.
  if (known.endsAt - clockNow() < RENEW_MS || known.startsAt > clockNow() + BEFORE_MS)
    await makeLocalCertificate(dataFolder, known.names);
  return {
    cert: fs.readFileSync(fileOf(dataFolder, 'service.crt')),
    key: fs.readFileSync(fileOf(dataFolder, 'service.key')),
  };
}
