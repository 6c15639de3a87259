/** A span of time as it is read at a glance: 12 ms, 3.4 s, 2 min 5 s, 1 h 20 min. */
export function spent(milliseconds: number): string {
  if (milliseconds < 1000) return `${milliseconds} ms`;
  if (milliseconds < 59_950) return `${(milliseconds / 1000).toFixed(1)} s`;
  const seconds = Math.round(milliseconds / 1000);
  return seconds < 3600
    ? `${Math.floor(seconds / 60)} min ${seconds % 60} s`
    : `${Math.floor(seconds / 3600)} h ${Math.floor((seconds % 3600) / 60)} min`;
}
