import { afterEach, describe, expect, it } from 'vitest';
import { ownHosts, refusal } from './guard.mjs';

const server = { host: '127.0.0.1', port: 3000 };
const ask = (headers: Record<string, string>, method = 'GET', url = '/api/models') =>
  refusal({ method, url, header: (n: string) => ({ host: '127.0.0.1:3000', ...headers })[n] }, server)?.status;

afterEach(() => {
  delete process.env.AMPLE_HOSTS;
  delete process.env.AMPLE_TOKEN;
});

describe('who may ask', () => {
  it('our own pages and programs without a browser', () => {
    expect(ask({})).toBeUndefined();
    expect(ask({ 'sec-fetch-site': 'same-origin', origin: 'http://127.0.0.1:3000' })).toBeUndefined();
    expect(ask({ 'sec-fetch-site': 'none' }, 'GET', '/')).toBeUndefined();
    expect(ask({ host: 'localhost:3000', origin: 'http://localhost:3000' })).toBeUndefined();
  });
  it('a foreign name that points here is not this server', () => {
    for (const host of ['evil.example', 'evil.example:3000', '127.0.0.1.evil.example', '127.0.0.1:3001', '', 'LOCALHOST.evil'])
      expect(ask({ host })).toBe(421);
  });
  it('other origins change nothing and read nothing', () => {
    for (const origin of ['http://evil.example', 'null', 'http://127.0.0.1:3001', 'https://127.0.0.1:3000.evil.example', 'not a url']) {
      expect(ask({ origin })).toBe(403);
      expect(ask({ origin, 'content-type': 'application/json' }, 'POST')).toBe(403);
    }
    for (const site of ['cross-site', 'same-site']) expect(ask({ 'sec-fetch-site': site })).toBe(403);
  });
  it('a link from elsewhere opens a page, and no data', () => {
    const link = { 'sec-fetch-site': 'cross-site', 'sec-fetch-mode': 'navigate' };
    expect(ask(link, 'GET', '/model/abc')).toBeUndefined();
    expect(ask(link, 'GET', '/api/models/abc')).toBe(403);
    expect(ask(link, 'POST', '/model/abc')).toBe(403);
  });
  it('what is written names its kind: a form of another page cannot', () => {
    for (const type of ['', 'text/plain', 'application/x-www-form-urlencoded', 'text/json'])
      expect(ask({ 'content-type': type }, 'POST')).toBe(415);
    expect(ask({ 'content-type': 'application/json; charset=utf-8' }, 'POST')).toBeUndefined();
    expect(ask({ 'content-type': 'application/json' }, 'POST', '/api/assets')).toBe(415);
    expect(ask({ 'content-type': 'application/octet-stream' }, 'POST', '/api/assets?name=a')).toBeUndefined();
    expect(ask({}, 'DELETE', '/api/models/a')).toBeUndefined();
  });
  it('names given in AMPLE_HOSTS are its own; with a token any name is', () => {
    process.env.AMPLE_HOSTS = 'desk.local, Other.local:8080';
    expect(ownHosts(server).has('desk.local:3000')).toBe(true);
    expect(ask({ host: 'desk.local:3000' })).toBeUndefined();
    expect(ask({ host: 'other.local:8080' })).toBeUndefined();
    expect(ask({ host: 'evil.example' })).toBe(421);
    delete process.env.AMPLE_HOSTS;
    process.env.AMPLE_TOKEN = 'word';
    expect(ask({ host: 'any.example', origin: 'http://any.example' })).toBeUndefined();
    expect(ask({ host: 'any.example', origin: 'http://evil.example' })).toBe(403);
  });
});
