#!/usr/bin/env bash
# Renews what the Windows program has in the Explorer: its icon, from internal/web/static/mark.svg, its name, and that
# it takes long paths. Needs Chromium. The outcome, cmd/yarvek/rsrc_windows_amd64.syso, is committed, so that whoever
# builds needs none of it; the Go command takes it for Windows alone.
set -euo pipefail
cd "$(dirname "$0")"
mark=$(base64 -w0 ../../../internal/web/static/mark.svg)
for s in 16 32 48 64 128 256; do
	chromium --headless --no-sandbox --disable-gpu --default-background-color=00000000 --window-size=$s,$s \
		--screenshot="$PWD/i$s.png" \
		"data:text/html,<body style='margin:0'><img src='data:image/svg+xml;base64,$mark' width=$s height=$s>"
done
cd ..
go tool go-winres make --in winres/winres.json --arch amd64 --out ../../cmd/yarvek/rsrc
