import { useKept } from './use-kept';

/** What happens when everything on the queue is over, and nobody looks at the page. */
export const TOLD = ['not', 'quietly', 'with a sound'] as const;
export type Told = (typeof TOLD)[number];

export const useTold = () => useKept<Told>('told when the queue is over', TOLD, 'not');

/** Two notes, made here: no file of sound has to be fetched. */
function ring(): void {
  const context = new AudioContext();
  for (const [i, hertz] of [660, 880].entries()) {
    const tone = context.createOscillator();
    const volume = context.createGain();
    tone.frequency.value = hertz;
    volume.gain.setValueAtTime(0.15, context.currentTime + i * 0.25);
    volume.gain.exponentialRampToValueAtTime(0.001, context.currentTime + i * 0.25 + 0.6);
    tone.connect(volume).connect(context.destination);
    tone.start(context.currentTime + i * 0.25);
    tone.stop(context.currentTime + i * 0.25 + 0.6);
  }
  setTimeout(() => void context.close(), 2000);
}

/** Says it outside of the page, as far as the browser lets it. */
export function tellOutside(how: Told, text: string): void {
  if (how === 'not') return;
  if (how === 'with a sound') ring();
  if (typeof Notification !== 'undefined' && Notification.permission === 'granted') {
    const note = new Notification('The queue is done', { body: text, tag: 'queue' });
    note.onclick = () => {
      window.focus();
      // Whatever page is open leads there: it hears the same, and shows the way.
    };
  }
}
