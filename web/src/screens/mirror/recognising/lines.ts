import type { RecognisingTried } from '../../../api/client';

/** What two lines come to on the real records. */
export type Outcome = {
  /** Pairs linked by themselves. */
  linked: number;
  /** About how many of these are wrong. */
  wrong: number;
  /** Pairs that a person is asked about, those within one system among them. */
  asked: number;
  /** Of these, how many within one system. */
  within: number;
};

/** What the lines come to: above one, pairs are linked; between the two, and for doubles of one system always, a person is asked. */
export function outcomeOf(tried: Pick<RecognisingTried, 'across' | 'within'>, linkAt: number, askAt: number): Outcome {
  const linked = tried.across.filter((p) => p >= linkAt);
  const within = tried.within.filter((p) => p >= askAt).length;
  return {
    linked: linked.length,
    wrong: linked.reduce((sum, p) => sum + (1 - p), 0),
    asked: tried.across.filter((p) => p >= askAt && p < linkAt).length + within,
    within,
  };
}

/** A figure that is estimated: "about 3", "fewer than 1". */
export const about = (n: number) =>
  n < 0.05 ? 'none' : n < 1 ? 'fewer than 1' : `about ${Math.round(n).toLocaleString()}`;

/** Where on the picture a bar stands: different, asked about or linked. Each bar is a twentieth. */
export const zoneOf = (bar: number, bars: number, linkAt: number, askAt: number): 'different' | 'asked' | 'linked' => {
  const to = (bar + 1) / bars;
  return to > linkAt + 1e-9 || bar === bars - 1 ? 'linked' : to > askAt + 1e-9 ? 'asked' : 'different';
};
