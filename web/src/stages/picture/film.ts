/** Where in the film one is, and the picture that goes along: one frame under a hand, else that of the playhead. */
import { useEffect } from "react";
import { create } from "zustand";
import type { Opened } from "../../api/client";
import { frameRate } from "../../canvas/ruler";
import { live, player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { frameAt, momentOf, type Scene } from "./frames";

/** The frame at the playhead, and the one under a hand that drags. */
export const useAt = create<{ frame: number; held: number | null }>(() => ({ frame: 0, held: null }));

/** Further away from the sound (s) than that the picture is put there anew; nearer it is led there by its speed. */
const FAR_S = 0.25;
/** By how much faster or slower (share of the speed) it is led, by how far away (s) it is: gently about the sound, since each change of speed may cost a
 * frame, and hard where it stalled, so that six frames are made up in half a second. */
const LED = 1.5;
const MOST_LED = 0.12;
const STALLED_LED = 4;
const MOST_STALLED_LED = 0.5;
/** Further away than so many frames is stalled, until it is nearer than half a frame. */
const STALLED = 2.5;
const MET = 0.5;

/** The moment of the film (s) that is heard. */
function heardAt(opened: Opened | null): number | null {
  const { heard } = useListening.getState();
  return heard && opened && heard.opened.digest === opened.digest ? (live.position - heard.opened.zero) / heard.opened.rate : null;
}

/** Go to a frame: what plays goes on from there. */
export function goTo(frame: number, scene: Scene) {
  const at = Math.min(scene.frames - 1, Math.max(0, frame));
  player.seek(momentOf(at, scene));
  useAt.setState({ frame: at, held: null });
}

/** Show the frame at a moment (s) without going there; null lets it go. */
export function showAt(at: number | null, scene: Scene) {
  useAt.setState({ held: at === null ? null : frameAt(at, scene) });
}

/** Keeps a video at the frame of what is heard, to within a frame while it plays. */
export function useInTime(picture: HTMLVideoElement | null, opened: Opened | null, scene: Scene) {
  useEffect(() => {
    const { exact } = frameRate(scene.frame_rate);
    let stalled = false;
    const follow = () => {
      const at = heardAt(opened);
      const { playing, tempo, speedSt } = useListening.getState();
      if (at !== null) {
        const frame = frameAt(at, scene);
        if (frame !== useAt.getState().frame) useAt.setState({ frame });
      }
      if (!picture) return;
      const { frame, held } = useAt.getState();
      if (playing && at !== null && held === null) {
        const speed = tempo * 2 ** (speedSt / 12);
        const away = picture.currentTime - at;
        // where it is put takes a while to be shown: put there again meanwhile it would never be
        if (Math.abs(away) > FAR_S && !picture.seeking) picture.currentTime = Math.max(0, at);
        // half a frame off is nothing to see; what is left is made up by going a little faster or slower
        stalled = Math.abs(away) > (stalled ? MET : STALLED) / exact;
        const [led, most] = stalled ? [STALLED_LED, MOST_STALLED_LED] : [LED, MOST_LED];
        const lead = Math.abs(away) < 0.25 / exact ? 0 : Math.max(-most, Math.min(most, -led * away));
        const rate = Math.max(0.0625, Math.min(16, speed * (1 + lead)));
        if (Math.abs(picture.playbackRate - rate) > 0.002) picture.playbackRate = rate;
        if (picture.paused && !picture.ended) void picture.play().catch(() => {});
        return;
      }
      if (!picture.paused) picture.pause();
      // the middle of the frame: never the one beside it, however the file rounds
      const wanted = ((held ?? frame) + 0.5) / exact;
      if (Math.abs(picture.currentTime - wanted) > 0.25 / exact && !picture.seeking) picture.currentTime = wanted;
    };
    const off = [player.onTick(follow), useAt.subscribe(follow), useListening.subscribe(follow)];
    picture?.addEventListener("seeked", follow);
    picture?.addEventListener("loadeddata", follow);
    follow();
    return () => {
      for (const end of off) end();
      picture?.removeEventListener("seeked", follow);
      picture?.removeEventListener("loadeddata", follow);
    };
  }, [picture, opened, scene]);
}
