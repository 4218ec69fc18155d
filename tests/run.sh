#!/usr/bin/env bash
# Passes all tests; installs the browser that some of them drive where it is missing.
# The last line says how many passed and failed, over all test projects.
set -uo pipefail
home=$(cd "$(dirname "$0")/.." && pwd)
cd "$home"
export DOTNET_CLI_TELEMETRY_OPTOUT=1 DOTNET_NOLOGO=1

# Properties are tried with many cases instead of a few.
if [ "${1:-}" = --long ]; then
  export KUMIKO_TEST_LONG=1
  shift
fi

if ! [ -x /usr/bin/chromium ] || ! [ -x /usr/bin/chromedriver ]; then
  echo "Installing Chromium and its driver…"
  sudo=$([ "$(id -u)" = 0 ] || echo sudo)
  $sudo apt-get update -qq && $sudo env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq chromium chromium-driver >/dev/null
fi

# A syslog daemon that nobody here wrote; where it cannot be had, its tests are skipped and say so.
if ! [ -x /usr/sbin/rsyslogd ] && command -v apt-get >/dev/null; then
  sudo=$([ "$(id -u)" = 0 ] || echo sudo)
  $sudo env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq rsyslog >/dev/null 2>&1 || true
fi

# A trap receiver, likewise.
if ! [ -x /usr/sbin/snmptrapd ] && command -v apt-get >/dev/null; then
  sudo=$([ "$(id -u)" = 0 ] || echo sudo)
  $sudo env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq snmptrapd >/dev/null 2>&1 || true
fi

# The compiler runs once: counting for a later, faster version of itself costs it a tenth.
if ! DOTNET_TieredPGO=0 dotnet build Kumiko.slnx --configuration Release --verbosity quiet; then
  echo "The build failed."
  echo "0 passed, 1 failed"
  exit 1
fi

logs=$(mktemp -d)
# Runs the tests of one project; its output and its code lie beside each other.
run() {
  local project=$1
  shift
  dotnet "tests/$project/bin/Release/net10.0/$project.dll" --no-ansi --progress off "$@" >"$logs/$project" 2>&1
  echo $? >"$logs/$project.code"
}

passed=0 failed=0
tell() {
  local project=$1 code p f
  echo "== $project"
  cat "$logs/$project"
  code=$(cat "$logs/$project.code")
  p=$(sed -n 's/^ *succeeded: *\([0-9]*\).*/\1/p' "$logs/$project" | tail -n 1)
  f=$(sed -n 's/^ *failed: *\([0-9]*\).*/\1/p' "$logs/$project" | tail -n 1)
  passed=$((passed + ${p:-0}))
  failed=$((failed + ${f:-0}))
  # A runner that fell over counted nothing; 8 says that a filter matched none of this project's tests.
  if [ "$code" -ne 0 ] && [ "$code" -ne 8 ] && [ "${f:-0}" -eq 0 ]; then failed=$((failed + 1)); fi
}

# What computes runs beside what mostly waits for servers; the browsers, two at a time, have the machine to themselves.
(run Kumiko.Core.Tests "$@"; run Kumiko.Charts.Tests "$@"; run Kumiko.Worlds.Tests "$@"; run Kumiko.House.Tests "$@"; run Kumiko.Extension.Tests "$@") &
run Kumiko.Web.Tests "$@"
wait
for project in Kumiko.Core.Tests Kumiko.Charts.Tests Kumiko.Worlds.Tests Kumiko.House.Tests Kumiko.Extension.Tests Kumiko.Web.Tests; do tell "$project"; done
run Kumiko.Browser.Tests "$@"
tell Kumiko.Browser.Tests
rm -rf "$logs"

echo "$passed passed, $failed failed"
[ "$failed" -eq 0 ] && [ "$passed" -gt 0 ]
