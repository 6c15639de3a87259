import { Empty } from '../../parts/States';

export function LookAlikes() {
  return (
    <div className="mx-auto max-w-[1000px] px-5 py-4">
      <h1 className="mb-2 text-lg font-semibold">Look-alikes</h1>
      <Empty title="No look-alike waits.">
        Records are linked when a key or an e-mail address is exactly the same in both systems. Two that share it with a
        third are held until the address is put right.
      </Empty>
    </div>
  );
}
