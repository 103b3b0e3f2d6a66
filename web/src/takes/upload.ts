import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { api, body, Refused } from '../api/client';

/** Pauses before a piece is sent again after the connection broke, milliseconds; then the coach is asked. */
const PAUSES = [1_000, 2_000, 4_000, 8_000, 15_000];

const rest = (ms: number) => new Promise((done) => setTimeout(done, ms));

/** Whether nobody answered: the connection broke, or a server is being started again. */
const broken = (e: unknown) => e instanceof Refused && (e.status === 0 || e.status >= 502);

/**
 * Sends a clip to a take piece by piece and tells how far it is, 0..1. After a broken connection or a
 * reload the same file goes on where it stopped.
 */
async function sendClip(
  take: string,
  file: File,
  {
    angle,
    again,
    wanted,
    tell,
  }: {
    angle: number;
    /** Although the same film is here already. */
    again: boolean;
    wanted: () => boolean;
    tell: (share: number, waiting: boolean) => void;
  },
) {
  let share = 0;
  const patiently = async <T>(ask: () => Promise<T>) => {
    for (const pause of PAUSES) {
      try {
        return await ask();
      } catch (refused) {
        if (!broken(refused) || !wanted()) throw refused;
        tell(share, true);
        await rest(pause);
      }
    }
    return ask();
  };
  let at = await patiently(async () =>
    body(
      await api.POST('/api/takes/{id}/uploads', {
        params: { path: { id: take } },
        body: { angle, file_name: file.name, bytes: file.size, changed: file.lastModified },
      }),
    ),
  );
  const params = { path: { id: at.id } };
  while (at.received < at.bytes && wanted()) {
    const from = at.received;
    tell((share = from / at.bytes), false);
    at = await patiently(async () =>
      body(
        await api.PUT('/api/uploads/{id}', {
          params: { ...params, query: { from } },
          body: file.slice(from, from + at.piece) as unknown as string,
          bodySerializer: (piece: unknown) => piece as Blob,
          headers: { 'content-type': 'application/octet-stream' },
        }),
      ),
    );
  }
  if (!wanted()) return;
  tell(1, false);
  await patiently(() =>
    api.POST('/api/uploads/{id}/end', { params: { ...params, query: { again } } }),
  );
}

/** A clip on its way to a take, for a form that shows it. */
export function useUpload() {
  const client = useQueryClient();
  /** How much has gone out, 0..1; null while nothing is sent. */
  const [sent, setSent] = useState<number | null>(null);
  const [waiting, setWaiting] = useState(false);
  const [error, setError] = useState<Error | null>(null);
  const run = useRef(0);
  // A form that is closed stops sending; what has arrived stays.
  useEffect(
    () => () => {
      run.current += 1;
    },
    [],
  );
  const send = async (take: string, file: File, angle = 1, again = false) => {
    const mine = (run.current += 1);
    const wanted = () => run.current === mine;
    setError(null);
    setSent(0);
    try {
      await sendClip(take, file, {
        angle,
        again,
        wanted,
        tell: (share, waits) => {
          if (!wanted()) return;
          setSent(share);
          setWaiting(waits);
        },
      });
      return wanted();
    } catch (refused) {
      if (wanted()) setError(refused as Error);
      return false;
    } finally {
      if (wanted()) {
        setSent(null);
        setWaiting(false);
      }
      void client.invalidateQueries({ queryKey: ['takes'] });
    }
  };
  /** The take that has the same film, when it was refused for that. */
  const same = error instanceof Refused ? error.take : undefined;
  return { sent, waiting, error, same, send, sending: sent !== null };
}

export type Uploading = ReturnType<typeof useUpload>;
