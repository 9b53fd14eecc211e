import { keepText } from '../commands/keep';
import { controlled, literal, type StarterFile, type StarterPlan } from './plan';

/**
 * What a board keeps by itself: how long a control may run and rests then, and what is done without a link. Every program that steers has
 * it; what is kept is in the settings at first, and comes from the service under the wanted name `_keep` from then on.
 */
export const keeps = (plan: StarterPlan): boolean => controlled(plan).length > 0;

/** What is kept, as a literal of any of the languages. */
export const keepLiteral = (plan: StarterPlan): string => literalOf(keepText(plan.streams));
const literalOf = (text: string): string =>
  `"${text
    .split(/([\t\n])/)
    .map((part) => (part === '\t' ? '\\t' : part === '\n' ? '\\n' : literal(part).slice(1, -1)))
    .join('')}"`;

/** keep.py, for boards and computers alike. */
export const PYTHON_KEEP: StarterFile = {
  path: 'keep.py',
  generated: true,
  text: `# What is kept by itself, whatever the link does: how long a control may run and rests then, and what it goes to without a link.
import time

FILE = __file__.rpartition("keep")[0] + "keep.txt" if "keep" in __file__ else "keep.txt"
AGAIN_MS = 5000
_ticks = [None, 0]


def clock():
    """Milliseconds since the start, whatever the clock on the wall is set to meanwhile."""
    if not hasattr(time, "ticks_ms"):
        return int(time.monotonic() * 1000)
    now = time.ticks_ms()
    if _ticks[0] is not None:
        _ticks[1] += time.ticks_diff(now, _ticks[0])
    _ticks[0] = now
    return _ticks[1]


class Keep:
    """apply(name, text) makes an output something, and is true where it did; say(text) prints."""

    def __init__(self, first, apply, say):
        self.apply, self.say = apply, say
        self.now, self.since, self.rests, self.tried = {}, {}, {}, {}
        self.alone = set()
        self.heard_at = clock()
        self.text = None
        try:
            with open(FILE) as file:
                first = file.read()
        except OSError:
            pass
        self.take(first, False)

    def take(self, text, write=True):
        """What is to be kept from now on: lines with tabs between. What cannot be read is left out."""
        if text == self.text:
            return
        self.text, self.most, self.lone = text, {}, {}
        for line in text.split("\\n"):
            part = line.split("\\t")
            try:
                if part[1] == "most" and len(part) == 6:
                    self.most[part[0]] = (int(part[2]) * 1000, part[3], int(part[4]) * 1000, part[5])
                if part[1] == "alone" and len(part) == 4:
                    self.lone[part[0]] = (int(part[2]) * 1000, part[3])
            except (IndexError, ValueError):
                continue
        if not write:
            return
        try:
            with open(FILE, "w") as file:
                file.write(text)
        except OSError as error:
            self.say("what is kept is known until the next start only: %s" % error)

    def ask_ms(self):
        """How often the link must be looked at, at the latest."""
        return min([20000] + [ms // 3 for ms, _ in self.lone.values()])

    def heard(self):
        """The service is there."""
        self.heard_at = clock()
        self.alone.clear()

    def may(self, name, text):
        """False while it rests."""
        most = self.most.get(name)
        return most is None or text != most[1] or self.rests.get(name, 0) <= clock()

    def was(self, name, text):
        """It was made this just now."""
        before, self.now[name] = self.now.get(name), text
        most = self.most.get(name)
        if most is None:
            return
        if text == most[1]:
            if before != text:
                self.since[name] = clock()
        elif before == most[1]:
            self.rests[name] = clock() + most[2]

    def look(self):
        """Does what is due; gives what was done, by name."""
        done = {}
        now = clock()
        for name, (ms, value, _, then) in self.most.items():
            if self.now.get(name) == value and now - self.since.get(name, now) >= ms:
                self._make(done, name, then, "it ran for as long as it may")
        for name, (ms, value) in self.lone.items():
            if now - self.heard_at >= ms and name not in self.alone:
                if self._make(done, name, value, "nothing was heard"):
                    self.alone.add(name)
        return done

    def _make(self, done, name, text, why):
        if name in self.tried and clock() - self.tried[name] < AGAIN_MS:
            return False
        try:
            made = self.apply(name, text)
        except Exception as error:  # whatever an output does, the program goes on
            self.say("%s: %s" % (name, error))
            made = False
        self.say("kept %s = %s, %s: %s" % (name, text, "applied" if made else "not possible", why))
        if not made:
            self.tried[name] = clock()
            return False
        self.tried.pop(name, None)
        self.was(name, text)
        done[name] = text
        return True
`,
};

/** How a program in Python makes an output something, and what keeps it. `more`: what else print is told. */
export const PYTHON_APPLY = (more: string): string => `def apply(name, text):
    \"\"\"Makes an output what a text says; false where it cannot.\"\"\"
    return name in OUTPUTS and OUTPUTS[name](text if name in TEXTS else float(text)) is not False


keeper = keep.Keep(getattr(settings, "KEEP", ""), apply, lambda text: print(text${more === '' ? '' : `, ${more}`}))


`;

/** What a program in Python says of itself over MQTT. */
export const PYTHON_TELL = `def tell_kept(client):
    \"\"\"So that the page of the device can say what the board does by itself.\"\"\"
    client.publish(ROOT + "about", json.dumps({"keeps": keeper.text}), qos=1)


`;

/** keep.mjs, for Node. */
export const NODE_KEEP: StarterFile = {
  path: 'keep.mjs',
  generated: true,
  text: `// What is kept by itself, whatever the link does: how long a control may run and rests then, and what it goes to without a link.
import fs from 'node:fs';

const FILE = new URL('./keep.txt', import.meta.url);
const AGAIN_MS = 5000;
/** Milliseconds since the start, whatever the clock on the wall is set to meanwhile. */
const clock = () => performance.now();

/** apply(name, value) makes an output something, and is true where it did. */
export function createKeep(first, apply) {
  const now = new Map();
  const since = new Map();
  const rests = new Map();
  const tried = new Map();
  const alone = new Set();
  let heardAt = clock();
  let kept = null;
  let most = new Map();
  let lone = new Map();
  const make = (done, name, text, why) => {
    if (clock() - (tried.get(name) ?? -Infinity) < AGAIN_MS) return false;
    let made = false;
    try {
      made = apply(name, plain(text));
    } catch (error) {
      console.log(\`\${name}: \${error.message}\`);
    }
    console.log(\`kept \${name} = \${text}, \${made ? 'applied' : 'not possible'}: \${why}\`);
    if (!made) return void tried.set(name, clock()) ?? false;
    tried.delete(name);
    keep.was(name, text);
    done[name] = plain(text);
    return true;
  };
  const keep = {
    text: () => kept,
    /** What is to be kept from now on: lines with tabs between. What cannot be read is left out. */
    take(text, write = true) {
      if (text === kept) return;
      kept = text;
      most = new Map();
      lone = new Map();
      for (const part of text.split('\\n').map((line) => line.split('\\t'))) {
        if (part[1] === 'most' && part.length === 6)
          most.set(part[0], { ms: Number(part[2]) * 1000, value: part[3], restMs: Number(part[4]) * 1000, then: part[5] });
        if (part[1] === 'alone' && part.length === 4) lone.set(part[0], { ms: Number(part[2]) * 1000, value: part[3] });
      }
      try {
        if (write) fs.writeFileSync(FILE, text);
      } catch (error) {
        console.log(\`what is kept is known until the next start only: \${error.message}\`);
      }
    },
    /** For how long an answer may be waited for, in seconds: nothing else tells that the service is there. */
    waitS: () => Math.max(1, Math.min(20, ...[...lone.values()].map(({ ms }) => Math.floor(ms / 3000)))),
    /** The service is there. */
    heard() {
      heardAt = clock();
      alone.clear();
    },
    /** False while it rests. */
    may: (name, value) => String(value) !== most.get(name)?.value || (rests.get(name) ?? 0) <= clock(),
    /** It was made this just now. */
    was(name, value) {
      const text = String(value);
      const before = now.get(name);
      now.set(name, text);
      const bound = most.get(name);
      if (bound === undefined) return;
      if (text === bound.value) {
        if (before !== text) since.set(name, clock());
      } else if (before === bound.value) rests.set(name, clock() + bound.restMs);
    },
    /** Does what is due; gives what was done, by name. */
    look() {
      const done = {};
      for (const [name, { ms, value, then }] of most)
        if (now.get(name) === value && clock() - since.get(name) >= ms) make(done, name, then, 'it ran for as long as it may');
      for (const [name, { ms, value }] of lone)
        if (clock() - heardAt >= ms && !alone.has(name) && make(done, name, value, 'nothing was heard')) alone.add(name);
      return done;
    },
  };
  keep.take(fs.existsSync(FILE) ? fs.readFileSync(FILE, 'utf8') : first, false);
  return keep;
}

/** A number where it is one, as the service sends it. */
const plain = (text) => (text.trim() !== '' && String(Number(text)) === text ? Number(text) : text);
`,
};
