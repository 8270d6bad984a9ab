#!/usr/bin/env bash
# Fetches the standard's own USD library, built for browsers, from the npm registry into build/usd-judge, so that
# TestUSDAgainstTheStandardsLibrary can be run against it:
#   tools/usd-judge.sh && YARVEK_USD_JUDGE=$PWD/build/usd-judge go test -run USD ./e2e
set -euo pipefail
cd "$(dirname "$0")/.."
mkdir -p build/usd-judge
cd build/usd-judge
npm pack --silent three-usdz-loader@1.0.9 > /dev/null
tar xzf three-usdz-loader-1.0.9.tgz --strip-components=2 package/external
rm three-usdz-loader-1.0.9.tgz
