/** A likelihood in percent, never said to be certain. */
export function percent(probability: number, decimals = 1): string {
  const most = 100 - 10 ** -decimals;
  const value = probability * 100;
  return `${Math.min(decimals === 0 ? 99 : most, value).toFixed(decimals)} %`;
}

/** A weight with its sign, to the last digit that counts. */
export const signed = (bits: number) => (bits === 0 ? '0' : `${bits > 0 ? '+' : '−'}${Math.abs(bits).toFixed(2)}`);

/** Odds of 2 to the power of a weight, in words: "1 pair in 86,000". */
export function before(bits: number): string {
  const one = 2 ** -bits;
  return one < 1 ? 'more likely than not' : `1 pair in ${Math.round(one + 1).toLocaleString()}`;
}

/** The words of a text, each with whether the other text has it too; what differs is to be seen at a glance. */
export function differing(text: string, other: string): { part: string; isOwn: boolean }[] {
  if (text === '' || other === '') return [{ part: text, isOwn: false }];
  const plain = (word: string) => word.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '');
  const theirs = new Set(other.split(/[\s@.,/]+/).map(plain));
  return text
    .split(/([\s@.,/]+)/)
    .filter((p) => p !== '')
    .map((part) => ({ part, isOwn: plain(part) !== '' && !theirs.has(plain(part)) }));
}
