import createClient, { type Middleware } from 'openapi-fetch';
import type { components, paths } from './schema';

export type Schemas = components['schemas'];
export type Problem = Schemas['Problem'];

/** What a refused request says, as an error that can be shown as it is. */
export class Refused extends Error {
  readonly status: number;
  /** The take that is in the way, where one is. */
  readonly take: string | undefined;
  constructor(problem: Partial<Problem> | undefined, status: number) {
    super(problem?.detail ?? 'The server does not answer. Check that it is running and try again.');
    this.status = problem?.status ?? status;
    this.take = problem?.take ?? undefined;
  }
}

let token = '';

/** Keeps the token that goes back with every change. */
export function keepToken(value: string) {
  token = value;
}

export function currentToken() {
  return token;
}

const guard: Middleware = {
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('x-csrf-token', token);
    return request;
  },
  async onResponse({ response }) {
    if (response.ok) return response;
    const problem = (await response.json().catch(() => undefined)) as Problem | undefined;
    throw new Refused(problem, response.status);
  },
  onError() {
    return new Refused(undefined, 0);
  },
};

export const api = createClient<paths>({ baseUrl: window.location.origin });
api.use(guard);

/** The body of an answer; refused ones have been thrown by then. */
export function body<T>({ data }: { data?: T }): T {
  if (data === undefined) throw new Refused(undefined, 0);
  return data;
}
