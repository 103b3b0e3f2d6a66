import { currentToken, Refused, type Problem } from '../api/client';

/** Sends a clip to a take and tells how far it is, 0..1. `fetch` does not tell how much has gone out. */
export function sendClip(take: string, file: File, progress: (share: number) => void, angle = 1) {
  return new Promise<void>((done, refused) => {
    const form = new FormData();
    form.append('clip', file, file.name);
    const request = new XMLHttpRequest();
    request.open('POST', `/api/takes/${take}/clip?angle=${angle}`);
    request.setRequestHeader('x-csrf-token', currentToken());
    request.upload.onprogress = (e) => e.lengthComputable && progress(e.loaded / e.total);
    request.onload = () => {
      if (request.status < 300) return done();
      let problem: Problem | undefined;
      try {
        problem = JSON.parse(request.responseText) as Problem;
      } catch {
        problem = undefined;
      }
      refused(new Refused(problem, request.status));
    };
    request.onerror = () => refused(new Refused(undefined, 0));
    request.send(form);
  });
}
