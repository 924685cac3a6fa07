import 'reflect-metadata';
import * as x509 from '@peculiar/x509';
import { randomBytes, webcrypto } from 'node:crypto';
import { existsSync } from 'node:fs';
import { mkdir, readFile, writeFile } from 'node:fs/promises';
import { isIP } from 'node:net';
import os from 'node:os';
import path from 'node:path';

x509.cryptoProvider.set(webcrypto as never);
const KEYS: webcrypto.EcKeyGenParams & { hash: string } = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' };
const DAY_MS = 86_400_000;
const AUTHORITY_DAYS = 3650;
/** phones refuse longer ones, also of an authority that their owner trusts */
const CERTIFICATE_DAYS = 397;
const RENEW_DAYS = 30;

export interface OwnCertificate {
  certFile: string;
  keyFile: string;
  authorityFile: string;
  names: string[];
}

/** Names and addresses under which this machine is found. */
export function machineNames(interfaces = os.networkInterfaces(), hostname = os.hostname()): string[] {
  const addresses = Object.values(interfaces).flatMap((list) => (list ?? []).filter((a) => !a.internal && !a.address.startsWith('fe80')).map((a) => a.address));
  const host = hostname.toLowerCase().replace(/\.local$/, '');
  return [...new Set(['localhost', host, `${host}.local`, '127.0.0.1', '::1', ...addresses])];
}

/**
 * A certificate for this machine, signed by an authority that is made here at the first start and stays: who trusts the authority once
 * trusts each certificate that follows it. The authority's key never leaves the folder. X.509 v3 (RFC 5280), ECDSA with P-256.
 */
export async function ownCertificate(dir: string, names: readonly string[], now = new Date()): Promise<OwnCertificate> {
  await mkdir(dir, { recursive: true, mode: 0o700 });
  const file = (name: string) => path.join(dir, name);
  const at: OwnCertificate = { certFile: file('machine.crt'), keyFile: file('machine.key'), authorityFile: file('authority.crt'), names: [...names] };
  if (!existsSync(at.authorityFile) || !existsSync(file('authority.key'))) await makeAuthority(at.authorityFile, file('authority.key'), now);
  if (await isGood(at, names, now)) return at;
  const authority = new x509.X509Certificate(await readFile(at.authorityFile, 'utf8'));
  const signingKey = await readKey(file('authority.key'));
  const keys = await webcrypto.subtle.generateKey(KEYS, true, ['sign', 'verify']);
  const certificate = await x509.X509CertificateGenerator.create({
    serialNumber: randomBytes(16).toString('hex').replace(/^./, '1'),
    subject: `CN=${commonName(names)}`,
    issuer: authority.subject,
    notBefore: new Date(now.getTime() - DAY_MS),
    notAfter: new Date(now.getTime() + CERTIFICATE_DAYS * DAY_MS),
    publicKey: keys.publicKey as never,
    signingKey,
    signingAlgorithm: KEYS,
    extensions: [
      new x509.BasicConstraintsExtension(false, undefined, true),
      new x509.KeyUsagesExtension(x509.KeyUsageFlags.digitalSignature, true),
      new x509.ExtendedKeyUsageExtension([x509.ExtendedKeyUsage.serverAuth]),
      new x509.SubjectAlternativeNameExtension(names.map((n) => ({ type: isIP(n) ? 'ip' : 'dns', value: n }))),
      await x509.AuthorityKeyIdentifierExtension.create(authority.publicKey),
    ],
  });
  await writeFile(at.keyFile, pem('PRIVATE KEY', await webcrypto.subtle.exportKey('pkcs8', keys.privateKey)), { mode: 0o600 });
  await writeFile(at.certFile, `${certificate.toString('pem')}\n`);
  return at;
}

async function makeAuthority(certFile: string, keyFile: string, now: Date): Promise<void> {
  const keys = await webcrypto.subtle.generateKey(KEYS, true, ['sign', 'verify']);
  const certificate = await x509.X509CertificateGenerator.createSelfSigned({
    serialNumber: randomBytes(16).toString('hex').replace(/^./, '1'),
    name: `CN=Mesure on ${os.hostname()} ${randomBytes(2).toString('hex')}`,
    notBefore: new Date(now.getTime() - DAY_MS),
    notAfter: new Date(now.getTime() + AUTHORITY_DAYS * DAY_MS),
    keys: keys as never,
    signingAlgorithm: KEYS,
    extensions: [
      // signs machines, and no further authorities
      new x509.BasicConstraintsExtension(true, 0, true),
      new x509.KeyUsagesExtension(x509.KeyUsageFlags.keyCertSign | x509.KeyUsageFlags.cRLSign, true),
      await x509.SubjectKeyIdentifierExtension.create(keys.publicKey as never),
    ],
  });
  await writeFile(keyFile, pem('PRIVATE KEY', await webcrypto.subtle.exportKey('pkcs8', keys.privateKey)), { mode: 0o600 });
  await writeFile(certFile, `${certificate.toString('pem')}\n`);
}

/** There, for these names, for a while yet, and of this authority. */
async function isGood(at: OwnCertificate, names: readonly string[], now: Date): Promise<boolean> {
  if (!existsSync(at.certFile) || !existsSync(at.keyFile)) return false;
  try {
    const [certificate, authority] = await Promise.all([at.certFile, at.authorityFile].map(async (f) => new x509.X509Certificate(await readFile(f, 'utf8'))));
    const said = certificate.getExtension(x509.SubjectAlternativeNameExtension)?.names.items.map((n) => n.value) ?? [];
    const signed = await certificate.verify({ publicKey: authority.publicKey, date: now });
    return signed && certificate.notAfter.getTime() - now.getTime() > RENEW_DAYS * DAY_MS && names.every((n) => said.includes(n));
  } catch {
    return false;
  }
}

const commonName = (names: readonly string[]): string => (names.find((n) => n !== 'localhost' && !isIP(n)) ?? 'mesure').replace(/[^\w.-]/g, '').slice(0, 60);

const pem = (label: string, der: ArrayBuffer): string =>
  `-----BEGIN ${label}-----\n${Buffer.from(der)
    .toString('base64')
    .replace(/(.{64})(?!$)/g, '$1\n')}\n-----END ${label}-----\n`;

/** The library names the browser's type of key; Node's is the same thing under another name. */
async function readKey(file: string): Promise<never> {
  const der = Buffer.from((await readFile(file, 'utf8')).replace(/-----[^-]+-----|\s/g, ''), 'base64');
  return (await webcrypto.subtle.importKey('pkcs8', der, KEYS, true, ['sign'])) as never;
}
