/** SHA-256 of an empty style element, which Radix writes without a nonce. */
const EMPTY_STYLE = "'sha256-47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU='";

/**
 * The content policy of every answer: nothing from anywhere else, scripts by nonce only.
 * @param dev the development server needs to evaluate code, and a socket for its news.
 */
export function policy(nonce: string, host: string, dev: boolean): string {
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
