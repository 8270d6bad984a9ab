#!/usr/bin/env bash
# Makes the compressed streams that the tests of core/format/draco and core/format/meshopt
# decode, with the encoders at the versions named here (draco3d: Apache 2.0, meshoptimizer:
# MIT). Nothing of them is kept but what they wrote. With a folder as argument, writes the
# large files of BenchmarkCompressed into it too. Needs Node.js and npm.
set -euo pipefail
cd "$(dirname "$0")"
root=$(cd ../.. && pwd)
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

cp ./*.mjs "$work/"
large=${1:+$(realpath "$1")}
cd "$work"
npm init -y >/dev/null
npm install --no-audit --no-fund --silent draco3d@1.5.9 meshoptimizer@1.3.0
node streams.mjs "$root/core/format/meshopt/testdata/streams.json"
node meshes.mjs "$root/core/format/draco/testdata/meshes.json"
if [ -n "$large" ]; then node large.mjs "$large"; fi
