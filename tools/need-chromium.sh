#!/usr/bin/env bash
# Installs Chromium from Debian's packages when it is missing.
set -euo pipefail
command -v chromium >/dev/null && exit 0
sudo=
[ "$(id -u)" = 0 ] || sudo=sudo
export DEBIAN_FRONTEND=noninteractive
$sudo apt-get update -qq
$sudo apt-get install -y -qq --no-install-recommends chromium
