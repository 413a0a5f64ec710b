#!/usr/bin/env bash
# What testing needs beyond running: linters, reference libraries, a browser.
set -u
cd "$(dirname "$0")/.."
log=.stamps/setup.log
fail() {
  echo "jukai: $1" >&2
  exit 2
}
want=$(sha256sum requirements/dev.txt | cut -d' ' -f1)
if [ "$(cat .stamps/dev 2>/dev/null)" != "$want" ] || [ ! -x .venv/bin/ruff ]; then
  echo "jukai: installing what testing needs ..."
  .venv/bin/pip install --disable-pip-version-check --require-hashes -r requirements/dev.txt >"$log" 2>&1 ||
    fail "installing what testing needs failed: $(tail -n 1 "$log")"
  echo "$want" >.stamps/dev
fi
if ! command -v chromium >/dev/null || ! command -v chromedriver >/dev/null; then
  echo "jukai: installing chromium ..."
  { apt-get update -qq && apt-get install -y -qq --no-install-recommends chromium chromium-driver; } >"$log" 2>&1 ||
    fail "chromium and chromium-driver can't be installed: $(tail -n 1 "$log")"
fi
