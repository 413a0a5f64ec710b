#!/usr/bin/env bash
# The libraries that the timings compare with, in an environment of their own.
set -u
cd "$(dirname "$0")/.."
log=.stamps/setup.log
want=$(sha256sum requirements/timings.txt | cut -d' ' -f1)
if [ "$(cat .stamps/timings 2>/dev/null)" != "$want" ] || [ ! -x .venv-timings/bin/python ]; then
  echo "jukai: installing the libraries to compare with ..."
  { [ -x .venv-timings/bin/python ] || python3 -m venv .venv-timings; } &&
    .venv-timings/bin/pip install --disable-pip-version-check --require-hashes -r requirements/runtime.txt -r requirements/timings.txt >"$log" 2>&1 &&
    .venv-timings/bin/pip install --disable-pip-version-check --no-deps --no-build-isolation -e . >>"$log" 2>&1 || {
    echo "jukai: installing the libraries to compare with failed: $(tail -n 1 "$log")" >&2
    exit 2
  }
  echo "$want" >.stamps/timings
fi
