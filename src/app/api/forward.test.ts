import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import path from 'node:path';
import { ARCHIVE_HEADER } from '@/contract';
import { temporaryFolder } from '@/test-support/discs';
import { forward } from './forward';

/** The web server's side of the contract, with an engine that is played. */
let answer: (request: IncomingMessage, response: ServerResponse, body: string) => void = () => undefined;
const asked: string[] = [];
const engine = createServer((request, response) => {
  let body = '';
  request.on('data', (chunk: Buffer) => (body += chunk.toString()));
  request.on('end', () => {
    asked.push(`${request.method} ${request.url}`);
    answer(request, response, body);
  });
});
const socket = path.join(temporaryFolder(), 'engine.sock');
beforeAll(async () => {
  await new Promise<void>((resolve) => engine.listen(socket, resolve));
  process.env['CAREFUL_VAULT_SOCKET'] = socket;
});
afterAll(() => engine.close());
beforeEach(() => {
  asked.length = 0;
});

const json = (response: ServerResponse, value: unknown, status = 200) => {
  response.writeHead(status, { 'content-type': 'application/json' });
  response.end(JSON.stringify(value));
};
const send = (method: string, place: string, body?: unknown, headers: Record<string, string> = {}) =>
  forward(
    new Request(`http://127.0.0.1:1/api${place}`, {
      method,
      headers: { 'content-type': 'application/json', ...headers },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    }),
  );
const problemOf = async (response: Response) => ((await response.json()) as { problem: { code: string } }).problem.code;

test('what the contract does not know, and bodies that are not as agreed, never reach the engine', async () => {
  const unknown = await send('GET', '/nothing/here');
  expect([unknown.status, await problemOf(unknown)]).toEqual([404, 'not-known']);
  const wrong = await send('POST', '/readings', { source: 'QUAY.iso' });
  expect([wrong.status, await problemOf(wrong)]).toEqual([400, 'bad-request']);
  const large = await send('POST', '/readings', {}, { 'content-length': '99999999999' });
  expect([large.status, await problemOf(large)]).toEqual([400, 'bad-request']);
  expect(asked).toEqual([]);
});

test('what is agreed is handed on with what both sides mean, and what comes back is checked', async () => {
  const source = { kind: 'place', root: 'images', path: 'QUAY.iso' };
  let heard: unknown = null;
  answer = (request, response, body) => {
    heard = { archive: request.headers[ARCHIVE_HEADER], own: request.headers['x-other'], body: JSON.parse(body) as unknown };
    json(response, { nothing: 'as agreed' });
  };
  const headers = { [ARCHIVE_HEADER]: 'an-archive', 'x-other': 'not passed on' };
  const answered = await send('POST', '/readings', { source, thorough: false, extra: 1 }, headers);
  expect(heard).toEqual({ archive: 'an-archive', own: undefined, body: { source, thorough: false } });
  // The engine said something else than was agreed: that is a fault of ours, and no page sees it.
  expect([answered.status, await problemOf(answered)]).toEqual([500, 'internal']);
  answer = (_, response) => {
    json(response, { problem: { code: 'not-known', message: 'No such disc', whatToDo: 'x', where: null } }, 404);
  };
  const refused = await send('POST', '/readings', { source, thorough: false });
  expect([refused.status, await problemOf(refused)]).toEqual([404, 'not-known']);
});

test('a stream is passed piece by piece, and ends with the engine', async () => {
  answer = (_, response) => {
    response.writeHead(200, { 'content-type': 'text/event-stream', 'x-inside': 'stays inside' });
    response.write('data: {"type":"hello"}\n\n');
    setTimeout(() => response.destroy(), 50);
  };
  const stream = await send('GET', '/events');
  expect([stream.headers.get('content-type'), stream.headers.get('x-inside')]).toEqual(['text/event-stream', null]);
  expect(await stream.text()).toBe('data: {"type":"hello"}\n\n');
});

test('an engine that is not there is said to be away', async () => {
  process.env['CAREFUL_VAULT_SOCKET'] = path.join(temporaryFolder(), 'nobody.sock');
  const away = await send('GET', '/state');
  expect([away.status, await problemOf(away)]).toEqual([503, 'engine-away']);
  process.env['CAREFUL_VAULT_SOCKET'] = socket;
});
