import { useCallback, useRef, useState } from 'react';
import type { Eyes, Output } from '@/contract';
import { playsInPage } from '@/core/recipes';

/** What is further off than this is sought anew; what is nearer is caught up with, milliseconds. */
const FAR_MS = 2000;
/** One that takes long to begin must not be begun anew for ever. */
const AGAIN_MS = 8000;
const IN_STEP_MS = 60;
/** While one drags along the time line, nothing is begun anew. */
const SETTLES_MS = 250;
/** How much faster or slower one plays that is to be brought into step. */
const CATCH_UP = 0.12;

/**
 * A result as it plays in the page, along the whole of its playing time. A copy that browsers play is played as it is; any other file is
 * made into something they play while it is watched: that begins anew wherever one seeks to. @param eyes what of two views.
 */
export function usePlaying(output: Output, eyes: Eyes = 'first') {
  const { sidecar } = output;
  const type = playsInPage(sidecar);
  const onTheFly = type === null;
  const { durationMs } = sidecar.promise;
  const video = useRef<HTMLVideoElement>(null);
  /** Where what is made on the fly begins, milliseconds. */
  const [startMs, setStart] = useState(0);
  const [atMs, setAt] = useState(0);
  const [audio, setAudio] = useState(0);
  const [isPlaying, setPlaying] = useState(false);
  const [failed, setFailed] = useState(false);
  const sought = useRef(0);
  const settling = useRef<ReturnType<typeof setTimeout> | null>(null);
  const source = `/api/outputs/${output.id}/play${onTheFly ? `?start=${startMs / 1000}&audio=${audio}&eyes=${eyes}` : ''}`;

  /** A player that has gone lets its stream go at once: browsers hold on to it for a while, and each is an encoder. */
  const hold = useCallback((element: HTMLVideoElement) => {
    video.current = element;
    return () => {
      video.current = null;
      element.removeAttribute('src');
      element.load();
    };
  }, []);
  const now = useCallback(() => (onTheFly ? startMs : 0) + (video.current?.currentTime ?? 0) * 1000, [onTheFly, startMs]);
  const seek = useCallback(
    (ms: number) => {
      const to = Math.max(0, Math.min(durationMs - 1, ms));
      setAt(to);
      if (!onTheFly) {
        if (video.current) video.current.currentTime = to / 1000;
        return;
      }
      if (settling.current) clearTimeout(settling.current);
      settling.current = setTimeout(() => {
        settling.current = null;
        setStart(Math.round(to));
      }, SETTLES_MS);
    },
    [durationMs, onTheFly],
  );
  const play = useCallback(() => {
    setPlaying(true);
    video.current?.play().catch(() => undefined); // it is gone, or begins as soon as it is loaded
  }, []);
  const pause = useCallback(() => {
    setPlaying(false);
    video.current?.pause();
  }, []);
  /** Another one to be heard: it begins where this one is. */
  const listen = useCallback(
    (track: number) => {
      setStart(Math.round(now()));
      setAudio(track);
    },
    [now],
  );
  /** What is made on the fly is about to be made otherwise: it goes on from where it is. */
  const again = useCallback(() => {
    setStart(Math.round(now()));
  }, [now]);
  /** Comes into step with another that is at this moment. */
  const follow = useCallback(
    (ms: number) => {
      const element = video.current;
      if (!element || element.readyState < 2 || element.seeking || settling.current !== null) return;
      const ahead = now() - ms;
      if (Math.abs(ahead) > FAR_MS && Date.now() - sought.current > AGAIN_MS) {
        sought.current = Date.now();
        seek(ms);
      }
      element.playbackRate = Math.abs(ahead) <= IN_STEP_MS ? 1 : ahead > 0 ? 1 - CATCH_UP : 1 + CATCH_UP;
    },
    [now, seek],
  );
  const props = {
    ref: hold,
    key: source,
    src: source,
    playsInline: true,
    autoPlay: isPlaying,
    preload: 'metadata' as const,
    onTimeUpdate: () => {
      if (settling.current === null) setAt(now());
    },
    onPlay: () => {
      setPlaying(true);
    },
    onEnded: () => {
      setPlaying(false);
    },
    onError: () => {
      setFailed(true);
    },
    onLoadedData: () => {
      setFailed(false);
    },
  };
  return { props, video, atMs, durationMs, isPlaying, failed, onTheFly, type, audio, seek, play, pause, listen, again, now, follow };
}

export type Playing = ReturnType<typeof usePlaying>;
