import { NextResponse, type NextRequest } from 'next/server';
import { isAllowed, policy } from './request-guard';

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
  const content = policy(nonce, request.headers.get('host') ?? '', process.env['NODE_ENV'] === 'development');
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
