import { readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import QRCode from 'qrcode';

export const AUTHORITY_PATH = '/mesure-authority.crt';

/**
 * A page without TLS, for a phone that does not trust this machine yet: it gives the authority's certificate and explains, on the phone
 * itself, how to trust it. Nothing else is served in the clear.
 */
export function trustServer(authorityFile: string, address: string): Server {
  const certificate = readFileSync(authorityFile);
  return createServer((req, res) => {
    const path = (req.url ?? '/').split(/[?#]/)[0];
    if (path === AUTHORITY_PATH) {
      res.writeHead(200, { 'content-type': 'application/x-x509-ca-cert', 'content-disposition': 'attachment; filename="mesure-authority.crt"' }).end(certificate);
      return;
    }
    if (path !== '/') {
      res.writeHead(308, { location: `${address}${path.replace(/[^\w./-]/g, '')}` }).end();
      return;
    }
    void page(address, req.headers['user-agent'] ?? '').then((html) =>
      res
        .writeHead(200, { 'content-type': 'text/html; charset=utf-8', 'cache-control': 'no-store', 'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'; img-src data:" })
        .end(html),
    );
  });
}

const STEPS: { title: string; test: RegExp; steps: string[] }[] = [
  {
    title: 'iPhone or iPad',
    test: /iPhone|iPad/,
    steps: [
      'Tap “Get the certificate” below, and allow the download.',
      'Open Settings. At the top it says “Profile Downloaded”: open it and install it.',
      'In Settings, General, About, Certificate Trust Settings, switch it on.',
      'Come back and tap “Open Mesure”.',
    ],
  },
  {
    title: 'Android',
    test: /Android/,
    steps: ['Tap “Get the certificate” below.', 'Open Settings and search for “CA certificate”. Choose it, confirm, and pick the file from the downloads.', 'Come back and tap “Open Mesure”.'],
  },
  {
    title: 'A computer',
    test: /./,
    steps: ['Get the certificate below and open it.', 'Put it among the authorities that this computer, or its browser, trusts for websites.', 'Come back and open Mesure.'],
  },
];

async function page(address: string, userAgent: string): Promise<string> {
  const qr = await QRCode.toString(address, { type: 'svg', margin: 1 });
  const first = STEPS.find((s) => s.test.test(userAgent))!;
  const lists = [first, ...STEPS.filter((s) => s !== first)].map(
    (s, i) => `<details${i === 0 ? ' open' : ''}><summary>${s.title}</summary><ol>${s.steps.map((t) => `<li>${t}</li>`).join('')}</ol></details>`,
  );
  return `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>Trust this Mesure</title>
<style>body{font:17px/1.5 system-ui,sans-serif;background:#f8f5ee;color:#15171a;margin:0 auto;padding:20px;max-width:34rem}h1{font-size:22px}summary{font-weight:700;padding:12px 0;cursor:pointer}
a.b{display:block;background:#f2c53d;color:#191404;text-align:center;padding:14px;border-radius:6px;margin:12px 0;font-weight:700;text-decoration:none}img{width:180px}</style>
<h1>Once for each phone</h1>
<p>This Mesure runs on a machine of your own set. A phone keeps entries without a network only when it trusts that machine. It takes a minute, and is done once.</p>
<a class="b" href="${AUTHORITY_PATH}">Get the certificate</a>
${lists.join('')}
<a class="b" href="${address}">Open Mesure</a>
<p>For the next phone: <br><img alt="QR code of ${address}" src="data:image/svg+xml;base64,${Buffer.from(qr).toString('base64')}"><br>${address}</p>
<p>The certificate can sign this machine only, and no further authorities. When the film is done, remove it in the same place.</p></html>`;
}
