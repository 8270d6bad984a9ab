#!/usr/bin/env bash
# Builds build/yardstick of Debian's packages (installed where they are missing), which `make trial` holds Yarvek
# against: see tools/yardstick/yardstick.cpp.
set -euo pipefail
cd "$(dirname "$0")/.."
packages="g++ libmeshoptimizer-dev libqhull-dev libbullet-dev libbullet-extras-dev"
if ! dpkg -s $packages > /dev/null 2>&1; then
  sudo=
  [ "$(id -u)" = 0 ] || sudo=sudo
  export DEBIAN_FRONTEND=noninteractive
  $sudo apt-get update -qq
  $sudo apt-get install -y -qq --no-install-recommends $packages > /dev/null
fi
mkdir -p build
g++ -O2 -std=c++17 -I/usr/include/bullet -o build/yardstick tools/yardstick/yardstick.cpp \
  -lmeshoptimizer -lqhullcpp -lqhull_r -lHACD -lLinearMath
