import { describe, expect, it } from 'vitest';
import { NoAnswer, Problem, unwrap } from './client';

const answer = (status: number, body: { data?: unknown; error?: object }) =>
  Promise.resolve({ ...body, response: new Response(null, { status, statusText: 'Status' }) });

describe('unwrap', () => {
  it('gives the data of an answer', async () => {
    expect(await unwrap(answer(200, { data: [1, 2] }))).toEqual([1, 2]);
  });
  it('throws the problem in the words of the service, with what is wrong where', async () => {
    const refused = unwrap(answer(422, { error: { detail: 'hold is one of once, repeat' } }));
    await expect(refused).rejects.toEqual(new Problem(422, 'hold is one of once, repeat'));
  });
  it('says so where nobody answers', async () => {
    await expect(unwrap(Promise.reject(new TypeError('Failed to fetch')))).rejects.toEqual(new NoAnswer());
  });
  it('has something to say when the service has not', async () => {
    await expect(unwrap(answer(502, {}))).rejects.toThrow('Status');
  });
});
