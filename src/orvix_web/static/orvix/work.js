// Whether the page still waits for anything: questions, strokes and changes on their way, pixels not drawn yet.
const sources = [];

// what: a word for it. rests(): a promise, of true where nothing was under way, of false where something was and has
// come.
export function works(what, rests) {
  sources.push({ what, rests });
}

const task = () => new Promise((resolve) => setTimeout(resolve));
const painted = () => new Promise((resolve) => requestAnimationFrame(() => resolve()));

// Resolves once nothing is under way, in two rounds with a frame between them: what has come may have asked for more.
export async function idle() {
  for (let quiet = 0; quiet < 2; quiet += 1) {
    const waiting = new Set(sources.map(({ what }) => what));
    globalThis.orvixWaitsFor = waiting;
    const rested = await Promise.all(
      sources.map(async ({ what, rests }) => {
        const rest = await rests();
        if (rest) waiting.delete(what);
        return rest;
      }),
    );
    if (!rested.every(Boolean)) quiet = -1;
    await task();
    if (quiet === 0) await painted();
  }
}

globalThis.orvixIdle = idle;
