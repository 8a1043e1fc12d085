import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import { api, ApiError, urls } from './client.ts';
import type { TakeView } from '../../contract/takes.ts';

const asked = jest.fn<(path: string, init: RequestInit) => Promise<Response>>();

beforeEach(() => {
  asked.mockReset();
  globalThis.fetch = asked as unknown as typeof fetch;
});

const answer = (status: number, body: string | null): void =>
  void asked.mockResolvedValue(new Response(body, { status }));

async function failure(): Promise<ApiError> {
  return api.shots().then(
    () => {
      throw new Error('did well');
    },
    (error: unknown) => error as ApiError,
  );
}

describe('a call of the API', () => {
  it('sends JSON only where there is something to send, and gives what is answered', async () => {
    answer(200, '[{"id":"s"}]');
    expect(await api.shots()).toEqual([{ id: 's' }]);
    expect(asked.mock.calls[0]).toMatchObject(['/api/shots', { method: 'GET', headers: {}, body: undefined }]);
    answer(200, '{"revision":3}');
    await api.undo('s', { stepId: 'x' });
    expect(asked.mock.calls[1]).toMatchObject([
      '/api/shots/s/undo',
      { method: 'POST', headers: { 'content-type': 'application/json' }, body: '{"stepId":"x"}' },
    ]);
  });

  it('needs no body of an answer that says so', async () => {
    answer(204, null);
    expect(await api.removeShot('s')).toBeUndefined();
  });

  it('fails with the server’s code and sentence', async () => {
    answer(409, '{"code":"conflict","message":"Changed elsewhere."}');
    const error = await failure();
    expect([error.code, error.message, error.passing]).toEqual(['conflict', 'Changed elsewhere.', false]);
  });

  it.each<[string, () => void, string]>([
    ['nobody answers', () => void asked.mockRejectedValue(new TypeError('fetch failed')), 'unavailable'],
    ['something else answers', () => answer(502, '<html>Bad gateway</html>'), 'internal'],
    ['the database is away', () => answer(503, '{"code":"unavailable","message":"Wait."}'), 'unavailable'],
  ])('may do well later where %s', async (_, happen, code) => {
    happen();
    const error = await failure();
    expect(error).toBeInstanceOf(ApiError);
    expect([error.code, error.passing, error.message.length > 4]).toEqual([code, true, true]);
  });

  it('does not wait for ever', async () => {
    answer(200, '[]');
    await api.shots();
    expect(asked.mock.calls[0][1].signal).toBeInstanceOf(AbortSignal);
  });
});

describe('addresses of pictures', () => {
  it('change with a take’s trims, so that no earlier picture is shown from the cache', () => {
    const take = { id: 't', trims: '' } as TakeView;
    expect(urls.takeFrame(take, 7)).toBe('/api/takes/t/frames/7');
    expect(urls.takeFrame({ ...take, trims: 'a1' }, 7)).toBe('/api/takes/t/frames/7?trims=a1');
    expect(urls.takeProxy({ ...take, trims: 'a1' })).toBe('/api/takes/t/proxy?trims=a1');
  });
});
