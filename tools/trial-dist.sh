#!/usr/bin/env bash
# Makes what is given out twice, of the same commit in two folders, the second time without anything that was compiled
# before, and compares the bytes; looks into the Debian package; unpacks the archive for this system in an empty place
# and walks the worked example in it. Minutes.
set -euo pipefail
cd "$(dirname "$0")/.."
go=${GO:-go}
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
git clone -q . "$work/first"
git clone -q "$work/first" "$work/second" # the same commit, whatever is committed meanwhile
for n in first second; do
	[ $n = first ] || export GOCACHE="$work/cache"
	make -s -C "$work/$n" dist
done
unset GOCACHE
diff "$work/first/build/dist/SHA256SUMS" "$work/second/build/dist/SHA256SUMS"
echo "the same bytes twice: $(wc -l <"$work/first/build/dist/SHA256SUMS") files"
cd "$work/first/build/dist"
sha256sum --quiet -c SHA256SUMS
if command -v dpkg-deb >/dev/null; then
	dpkg-deb -x yarvek_*_amd64.deb "$work/deb"
	dpkg-deb -f yarvek_*_amd64.deb Package Version Architecture
	"$work/deb/usr/bin/yarvek" version
	test -s "$work/deb/usr/share/man/man1/yarvek.1.gz" -a -s "$work/deb/usr/share/doc/yarvek/copyright"
fi
archive=$(ls "$PWD"/yarvek-*-linux.tar.gz)
cd - >/dev/null
tools/need-chromium.sh
YARVEK_ARCHIVE=$archive "$go" test -count 1 -v -run TestTheArchive ./e2e
