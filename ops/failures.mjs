// Says which browser tests failed, where and why, in few lines: what a log that is cut in its middle still shows at its end.
import { readFileSync } from 'node:fs';

const LINES = 14;
const LENGTH = 600;
const bare = (text) => text.replace(/\u001b\[[0-9;]*m/g, '');
const specs = (suite) => [...(suite.specs ?? []), ...(suite.suites ?? []).flatMap(specs)];

const report = JSON.parse(readFileSync(process.argv[2], 'utf8'));
for (const error of report.errors ?? []) console.log(bare(error.message ?? '').slice(0, LENGTH));
for (const spec of specs(report).filter((s) => !s.ok)) {
  for (const error of spec.tests.flatMap((t) => t.results).flatMap((r) => r.errors ?? [])) {
    const at = error.location ? `${error.location.file.split('/').pop()}:${error.location.line}` : spec.file;
    console.log(`FAILED ${spec.file} “${spec.title}”, at ${at}`);
    const lines = bare(error.message ?? '').split('\n').filter((l) => l.trim() !== '');
    for (const line of lines.slice(0, LINES)) console.log(`    ${line.slice(0, LENGTH)}`);
  }
}
