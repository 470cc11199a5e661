#!/usr/bin/env bash
# Rewrites requirements/*.lock from the *.in files: pinned, hashed, without the address of any package index.
set -euo pipefail
cd "$(dirname "$(readlink -f "${BASH_SOURCE[0]}")")/../requirements"
maker=$(mktemp -d)
trap 'rm -rf "$maker"' EXIT
python3 -m venv "$maker"
"$maker/bin/pip" install --quiet pip-tools
for name in app test; do
  "$maker/bin/pip-compile" --quiet --generate-hashes --no-header --strip-extras --allow-unsafe \
    --no-emit-index-url --no-emit-find-links --no-emit-trusted-host --output-file "$name.lock" "$name.in" "$@"
done
