// Preloaded into a service under test (NODE_OPTIONS=--import=…): its wall clock is off by as many ms as a file says.
import fs from 'node:fs';

const file = process.env.SHIFT_FILE;
const RealDate = Date;
const realNow = Date.now.bind(Date);
let shift = 0;
let readAt = -1;
function shifted() {
  const passed = performance.now();
  if (passed - readAt > 20) {
    readAt = passed;
    try {
      shift = Number(fs.readFileSync(file, 'utf8')) || 0;
    } catch {
      shift = 0;
    }
  }
  return realNow() + shift;
}
globalThis.Date = class extends RealDate {
  constructor(...given) {
    if (given.length === 0) super(shifted());
    else super(...given);
  }
  static now() {
    return shifted();
  }
};
