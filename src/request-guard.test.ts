import { isAllowed, policy } from './request-guard';

const headers = (values: Record<string, string>) => new Headers({ host: '127.0.0.1:4420', ...values });
const allowed = (method: string, path: string, values: Record<string, string> = {}) => isAllowed(headers(values), method, path, '4420');

describe('who may ask', () => {
  test.each([
    ['the application’s own page', 'GET', '/api/state', { 'sec-fetch-site': 'same-origin' }],
    ['a page opened by hand', 'GET', '/', { 'sec-fetch-site': 'none' }],
    ['a link from elsewhere to a page', 'GET', '/vault', { 'sec-fetch-site': 'cross-site' }],
    ['its own request with a body', 'POST', '/api/jobs', { origin: 'http://127.0.0.1:4420', 'sec-fetch-site': 'same-origin' }],
    ['by another name of this machine', 'GET', '/api/state', { host: 'localhost:4420' }],
    ['by IPv6', 'GET', '/api/state', { host: '[::1]:4420' }],
    ['a program on this machine that says so', 'POST', '/api/jobs', { 'x-careful-vault': '1' }],
  ])('%s: yes', (_, method, path, values) => {
    expect(allowed(method, path, values as unknown as Record<string, string>)).toBe(true);
  });

  test.each([
    ['another name that leads here', 'GET', '/', { host: 'evil.example:4420' }],
    ['the right name at another port', 'GET', '/', { host: '127.0.0.1:80' }],
    ['no name', 'GET', '/', { host: '' }],
    ['a name that only begins like ours', 'GET', '/', { host: 'localhost.evil.example:4420' }],
    ['a page of another site', 'GET', '/api/state', { origin: 'https://evil.example' }],
    ['a page without an origin', 'POST', '/api/jobs', { origin: 'null' }],
    ['a picture or a stream from another site', 'GET', '/api/events', { 'sec-fetch-site': 'cross-site' }],
    ['a neighbour on another port', 'GET', '/api/state', { 'sec-fetch-site': 'same-site' }],
    ['a plain form that says nothing', 'POST', '/api/jobs', {}],
    ['our name only as a forwarded one', 'GET', '/', { host: 'evil.example', 'x-forwarded-host': '127.0.0.1:4420' }],
  ])('%s: no', (_, method, path, values) => {
    expect(allowed(method, path, values as unknown as Record<string, string>)).toBe(false);
  });
});

test('the content policy names no other place, and allows scripts only by nonce', () => {
  const text = policy('abc', '127.0.0.1:4420', false);
  expect(text).toContain("script-src 'self' 'nonce-abc' 'strict-dynamic'");
  expect(text).not.toContain('unsafe-eval');
  expect(text).not.toMatch(/https?:|\*/);
  for (const rule of ["object-src 'none'", "base-uri 'none'", "frame-ancestors 'none'", "default-src 'self'"]) expect(text).toContain(rule);
  expect(policy('abc', 'h', true)).toContain('unsafe-eval');
});
