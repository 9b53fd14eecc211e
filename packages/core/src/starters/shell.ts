import { claimFile, SHELL_CLAIM } from './claim';
import {
  authorityFile,
  authorityOf,
  comment,
  exampleValue,
  isPlain,
  reported,
  shellQuoted,
  TOKEN_PLACEHOLDER,
  type StarterFile,
  type StarterPlan,
} from './plan';
import type { Datastream } from '../readings/types';
import { kernelFiles } from './ways/index';
import { wiringFile } from './wiring';

/** The starter for any computer with a POSIX shell and curl. Only settings.sh is generated anew. */
export function shellStarter(plan: StarterPlan): StarterFile[] {
  return [
    { path: 'settings.sh', text: settings(plan), generated: true },
    { path: 'report.sh', text: program(plan), generated: false },
    ...authorityFile(plan),
    ...claimFile(plan, { path: 'claim.sh', text: SHELL_CLAIM, generated: true }),
    ...wiringFile(plan),
  ];
}

/** A text in single quotes for a shell, of letters that every shell reads alike. */
const quoted = (text: string): string => shellQuoted(text.replace(/[^\x20-\x7e]/g, '?'));

function settings(plan: StarterPlan): string {
  return `# Settings of ${comment(plan.deviceName)}. This is the only file with names and secrets in it.
SERVICE_URL=${quoted(plan.httpUrl)}
${authorityOf(plan) === '' ? '' : "export CURL_CA_BUNDLE=./authority.crt # the service's own authority is trusted, and no other\n"}LOCAL_NAME=${quoted(plan.localName ?? '')} # its name in the local network, tried first; empty for none
if [ -n "$LOCAL_NAME" ]; then
  by_name=$(printf '%s' "$SERVICE_URL" | sed "s|//[^:/]*|//$LOCAL_NAME|")
  curl --silent --max-time 3 "$by_name/device/time" > /dev/null && SERVICE_URL=$by_name
fi
${
  plan.claim === undefined
    ? `DEVICE_ID=${quoted(plan.deviceId)}
DEVICE_TOKEN=${quoted(plan.token ?? TOKEN_PLACEHOLDER)}`
    : `CLAIM_SECRET=${quoted(plan.claim.secret)} # each fetches its own device and token with it
. ./claim.sh`
}
FIRST_INTERVAL_S=${plan.intervalS} # until the service names another
`;
}

function program(plan: StarterPlan): string {
  const files = kernelFiles(plan.streams);
  const fileOf = (stream: Datastream) => files[plan.streams.indexOf(stream)] ?? null;
  return `#!/bin/sh
# Starter for ${comment(plan.deviceName)}: reports with curl, prints what happens. Run it with: sh report.sh
cd "$(dirname "$0")" || exit 1
. ./settings.sh

# ---- Your sensors: one line for each datastream that is reported; print nothing while there is no value.
${reported(plan).some((stream) => fileOf(stream) !== null) ? SHELL_KERNEL : ''}${reported(plan)
    .map((stream) => sensor(stream, fileOf(stream)))
    .join('\n')}

measure() {
  values=""
${reported(plan)
  .map(
    (stream) =>
      `  value=$(read_${stream.key}); [ -n "$value" ] && values="$values, \\"${stream.key}\\": $value"`,
  )
  .join('\n')}
  printf '{"n": %s, "at": %s000%s}' "$number" "$(date +%s)" "$values"
}

# The token goes to curl by its standard input: on the command line everybody on this computer could read it.
ask() {
  printf 'header = "Authorization: Bearer %s"\\n' "$DEVICE_TOKEN" |
    curl --silent --show-error --max-time 20 --config - --write-out ' %{http_code}' "$@" 2>&1
}

send() {
  answer=$(ask --header 'Content-Type: application/json' --data "$1" "$SERVICE_URL/device/report")
  case "$answer" in
    *' 200') refused=\${answer#*'"refused":'}; echo "arrived $1" ;;
    *' 422' | *' 400') refused=\${answer#*'"refused":'} ;;
    *' 401') echo "the token is not right; look at DEVICE_TOKEN in settings.sh"; return 1 ;;
    *) echo "waits: $answer"; return 1 ;;
  esac
  case "$refused" in '[]'*) ;; *) echo "REFUSED $refused" ;; esac
}

# What wants another interval is asked with each report; a control of your own can be read here in the same way.
obey() {
  wanted=$(ask "$SERVICE_URL/device/wanted")
  interval=$(printf '%s' "$wanted" | sed -n 's/.*"interval":\\([0-9]*\\).*/\\1/p')
  if [ -n "$interval" ] && [ "$interval" -ge 1 ] && [ "$interval" != "$interval_s" ]; then
    interval_s=$interval
    echo "wanted interval = $interval, applied"
  fi
}

number=0
interval_s=$FIRST_INTERVAL_S
echo "Starting as $DEVICE_ID, reporting to $SERVICE_URL"
while :; do
  number=$((number + 1))
  # Messages wait in a file, with their true times, until they have arrived.
  measure >> waiting.txt
  echo >> waiting.txt
  while [ -s waiting.txt ] && send "$(head -n 1 waiting.txt)"; do
    tail -n +2 waiting.txt > waiting.new && mv waiting.new waiting.txt
  done
  tail -n 5000 waiting.txt > waiting.new && mv waiting.new waiting.txt
  obey
  sleep "$interval_s"
done
`;
}

/** A file of the kernel with a number, by its pattern; `which` of several; times a factor, and what is added. */
const SHELL_KERNEL = `kernel() { # pattern, factor, what is added, place of it among several
  file=$(ls -d $1 2>/dev/null | sed -n "$4p")
  [ -r "$file" ] || { echo "$1: the kernel has no such part; is its driver loaded?" >&2; return; }
  awk -v factor="$2" -v add="$3" '{ printf "%.10g\\n", $1 * factor + add }' "$file"
}
`;

function sensor(stream: Datastream, file: ReturnType<typeof kernelFiles>[number]): string {
  const title = comment(stream.title);
  if (file !== null)
    return `read_${stream.key}() { kernel ${quoted(file.pattern)} ${file.factor} ${file.add} ${file.which + 1}; } # ${title}`;
  const made = !isPlain(stream)
    ? quoted(JSON.stringify(exampleValue(stream)))
    : stream.type === 'boolean'
      ? 'true'
      : exampleValue(stream);
  return `read_${stream.key}() { echo ${made}; } # ${title}; made up: replace by what your sensor says`;
}
