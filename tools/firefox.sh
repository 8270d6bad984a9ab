#!/usr/bin/env bash
# Opens every page in Firefox, on the demo kit, and leaves a picture of each in build/firefox, to be looked at. Installs
# Firefox from Debian's packages where it is missing.
set -euo pipefail
cd "$(dirname "$0")/.."
sudo=
[ "$(id -u)" = 0 ] || sudo=sudo
if ! command -v firefox-esr >/dev/null; then
	$sudo apt-get update -qq
	DEBIAN_FRONTEND=noninteractive $sudo apt-get install -y -qq --no-install-recommends firefox-esr
fi
work=$(mktemp -d)
to=build/firefox
rm -rf "$to"
mkdir -p "$to"
bin/yarvek demo --data "$work/data" --addr 127.0.0.1:0 >"$work/said" &
yarvek=$!
trap 'kill $yarvek 2>/dev/null; wait $yarvek 2>/dev/null || true; rm -rf "$work"' EXIT
until grep -q '^Press' "$work/said"; do kill -0 $yarvek; sleep 0.1; done
at=$(grep -o 'http://[^ ]*' "$work/said" | head -1)
asset=/assets/2 # the lantern, of which most can be said
full() { curl -sf "$at/kits/1" >"$work/kit"; grep -q '13 assets' "$work/kit" && ! grep -q 'not looked at' "$work/kit"; }
until full; do sleep 0.5; done

pages="/ /kits/1 /kits/1/exports /targets /targets/z-up-centimetres-left /learn /arrive /parts /guide"
pages="$pages /guide/words $(curl -sfL "$at$asset" | grep -o "href=\"$asset/[a-z]*" | cut -d'"' -f2 | sort -u)"
for page in $pages; do
	curl -sf -o /dev/null "$at$page" # an address that answers
	name=$(echo "${page#/}" | tr / -)
	HOME=$work timeout 60 firefox-esr --headless --no-remote --profile "$(mktemp -d -p "$work")" \
		--window-size 1280,800 --screenshot "$PWD/$to/${name:-first}.png" "$at$page" >/dev/null 2>&1
	test -s "$to/${name:-first}.png"
done
echo "$(ls "$to" | wc -l) pages, in $to"
