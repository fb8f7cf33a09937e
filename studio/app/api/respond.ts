import { NextResponse } from 'next/server';

export const fine = (data: unknown, status = 200) => NextResponse.json(data, { status });
export const problem = (status: number, message: string) => NextResponse.json({ message }, { status });

/** Runs a handler; anything unforeseen becomes a message, never a blank page. */
export async function guarded(work: () => Promise<Response>): Promise<Response> {
  try {
    return await work();
  } catch (e) {
    console.error(e);
    return problem(500, `The server could not do this: ${(e as Error).message}`);
  }
}
