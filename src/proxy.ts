import { NextResponse, type NextRequest } from 'next/server';

/** SHA-256 of an empty style element, which Radix writes without a nonce. */
const EMPTY_STYLE = "'sha256-47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU='";

function policy(nonce: string, host: string): string {
  const dev = process.env['NODE_ENV'] === 'development';
  return [
    "default-src 'self'",
    `script-src 'self' 'nonce-${nonce}' 'strict-dynamic'${dev ? " 'unsafe-eval'" : ''}`,
    dev ? "style-src 'self' 'unsafe-inline'" : `style-src 'self' 'nonce-${nonce}' ${EMPTY_STYLE}`,
    "style-src-attr 'unsafe-inline'",
    "img-src 'self' blob: data:",
    "media-src 'self' blob:",
    "font-src 'self'",
    `connect-src 'self'${dev ? ` ws://${host}` : ''}`,
    "worker-src 'self' blob:",
    "object-src 'none'",
    "base-uri 'none'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join('; ');
}

/** True where the request comes from this application's own pages, or from a program on this machine that is no browser. */
export function isAllowed(headers: Headers, method: string, path: string, port: string): boolean {
  const host = headers.get('host') ?? '';
  if (!['127.0.0.1', 'localhost', '[::1]'].some((name) => host === `${name}:${port}`)) return false;
  const origin = headers.get('origin');
  if (origin !== null && origin !== `http://${host}`) return false;
  if (!path.startsWith('/api/') && method === 'GET') return true;
  const site = headers.get('sec-fetch-site');
  if (site !== null && site !== 'same-origin' && site !== 'none') return false;
  // A page of another site can post a plain form without saying whence; it can not set a header.
  return method === 'GET' || method === 'HEAD' || origin !== null || headers.get('x-careful-vault') !== null;
}

/** Guards every request: own host names and origins only, and a content policy with a fresh nonce. */
export function proxy(request: NextRequest): NextResponse {
  const port = process.env['CAREFUL_VAULT_PORT'] ?? process.env['PORT'] ?? '3000';
  if (!isAllowed(request.headers, request.method, request.nextUrl.pathname, port)) {
    return NextResponse.json(
      {
        problem: {
          code: 'refused',
          message: 'This request does not come from the application itself',
          whatToDo: 'Open the application at the address it printed when it started.',
          where: null,
        },
      },
      { status: 403 },
    );
  }
  const nonce = btoa(crypto.randomUUID());
  const content = policy(nonce, request.headers.get('host') ?? '');
  const headers = new Headers(request.headers);
  headers.set('x-nonce', nonce);
  headers.set('content-security-policy', content);
  const response = NextResponse.next({ request: { headers } });
  response.headers.set('content-security-policy', content);
  response.headers.set('x-content-type-options', 'nosniff');
  response.headers.set('referrer-policy', 'no-referrer');
  response.headers.set('cross-origin-opener-policy', 'same-origin');
  response.headers.set('cross-origin-resource-policy', 'same-origin');
  return response;
}
