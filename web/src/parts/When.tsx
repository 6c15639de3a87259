import { useEffect, useState } from 'react';

/** A time as people say it, in the viewer's own zone; the exact time on hover. */
export function When({ at, past = true }: { at: string; past?: boolean }) {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const tick = setInterval(() => setNow(Date.now()), 20_000);
    return () => clearInterval(tick);
  }, []);
  const date = new Date(at);
  return (
    <time
      dateTime={at}
      title={date.toLocaleString(undefined, { dateStyle: 'full', timeStyle: 'medium' })}
      className="whitespace-nowrap"
    >
      {relative(date.getTime(), Math.max(now, past ? date.getTime() : 0))}
    </time>
  );
}

export function relative(at: number, now: number): string {
  const seconds = Math.round((now - at) / 1000);
  if (seconds < 0) {
    const minutes = Math.ceil(-seconds / 60);
    return minutes < 90
      ? `in ${minutes} min`
      : minutes < 36 * 60
        ? `in ${Math.round(minutes / 60)} h`
        : `in ${Math.round(minutes / 1440)} days`;
  }
  if (seconds < 50) return 'just now';
  const minutes = Math.round(seconds / 60);
  if (minutes < 90) return `${minutes} min ago`;
  const hours = Math.round(minutes / 60);
  if (hours < 36) return `${hours} h ago`;
  const days = Math.round(hours / 24);
  if (days < 15) return `${days} days ago`;
  return new Date(at).toLocaleDateString(undefined, { day: 'numeric', month: 'short', year: 'numeric' });
}

/** A time of day for today, with the date for any other day. */
export function clock(at: string, now = new Date()): string {
  const date = new Date(at);
  const time = date.toLocaleTimeString(undefined, { hour: '2-digit', minute: '2-digit' });
  return date.toDateString() === now.toDateString()
    ? time
    : `${date.toLocaleDateString(undefined, { day: 'numeric', month: 'short' })} ${time}`;
}
