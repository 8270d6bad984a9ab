#!/usr/bin/env bash
# Tries the Windows program under Wine: a walk through the demo, kills while work is under
# way, and a second start on a folder in use. Installs Wine and a C compiler for Windows
# from Debian's packages when they are missing.
set -euo pipefail
sudo=
[ "$(id -u)" = 0 ] || sudo=sudo
export DEBIAN_FRONTEND=noninteractive
if ! command -v wine >/dev/null || ! command -v x86_64-w64-mingw32-gcc >/dev/null; then
	$sudo apt-get update -qq
	$sudo apt-get install -y -qq --no-install-recommends wine wine64 gcc-mingw-w64-x86-64
fi

work=$(mktemp -d)
export WINEPREFIX=$work/prefix WINEDEBUG=-all
trap 'wineserver -k 2>/dev/null || /usr/lib/wine/wineserver64 -k 2>/dev/null || true; rm -rf "$work"' EXIT
wine wineboot -i >/dev/null 2>&1

# Go asks Windows 10 for its random numbers by a function that Wine 8 does not have yet. This
# hands the question on to the one it has; a Wine that has its own keeps it.
if [ ! -e "$WINEPREFIX/drive_c/windows/system32/bcryptprimitives.dll" ]; then
	cat >"$work/prng.c" <<-'END'
		#include <windows.h>
		BOOLEAN NTAPI SystemFunction036(PVOID to, ULONG bytes);
		__declspec(dllexport) BOOL WINAPI ProcessPrng(PBYTE to, SIZE_T bytes)
		{
			return SystemFunction036(to, (ULONG)bytes);
		}
	END
	x86_64-w64-mingw32-gcc -shared -o "$WINEPREFIX/drive_c/windows/system32/bcryptprimitives.dll" "$work/prng.c" -ladvapi32
	export WINEDLLOVERRIDES=bcryptprimitives=n
fi

YARVEK_SOAK=1 YARVEK_WINE=1 "${GO:-go}" test -v -count 1 -timeout 20m -run 'TestWalk|TestKills|TestTwoProcesses|TestItsOwnFolder' ./soak
