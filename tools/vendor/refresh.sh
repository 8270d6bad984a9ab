#!/usr/bin/env bash
# Refreshes the front-end parts kept in the repository, at the versions named here.
# Needs Node.js and npm; building and running Yarvek needs neither.
set -euo pipefail
cd "$(dirname "$0")"
root=$(cd ../.. && pwd)
out=$root/internal/web/static/vendor
tests=$root/e2e/testdata/loaders
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

htmx=2.0.11 bootstrap=5.3.9 three=0.187.0 archivo=5.3.0 plex=5.3.0 esbuild=0.28.2 validator=2.0.0-dev.3.10 axe=4.11.0

cp turntable.js loaders.js validator.js "$work/"
cd "$work"
npm init -y >/dev/null
npm install --no-audit --no-fund --silent \
  "htmx.org@$htmx" "bootstrap@$bootstrap" "three@$three" "esbuild@$esbuild" \
  "@fontsource-variable/archivo@$archivo" "@fontsource/ibm-plex-mono@$plex" "gltf-validator@$validator" "axe-core@$axe"

mkdir -p "$out/fonts" "$out/licences" "$tests"
cp node_modules/htmx.org/dist/htmx.min.js "$out/htmx-$htmx.min.js"
cp node_modules/bootstrap/dist/css/bootstrap.min.css "$out/bootstrap-$bootstrap.min.css"
sed -i '/sourceMappingURL/d' "$out/bootstrap-$bootstrap.min.css"
cp node_modules/@fontsource-variable/archivo/files/archivo-latin-wdth-normal.woff2 "$out/fonts/archivo-latin.woff2"
cp node_modules/@fontsource-variable/archivo/files/archivo-latin-ext-wdth-normal.woff2 "$out/fonts/archivo-latin-ext.woff2"
for w in 400 600; do
  cp "node_modules/@fontsource/ibm-plex-mono/files/ibm-plex-mono-latin-$w-normal.woff2" "$out/fonts/"
done
npx esbuild turntable.js --bundle --minify --format=esm --legal-comments=inline --outfile="$out/three-$three.min.js"
npx esbuild loaders.js --bundle --minify --format=esm --legal-comments=inline --outfile="$out/three-loaders-$three.min.js"

npx esbuild validator.js --bundle --minify --format=esm --legal-comments=inline --log-level=error --outfile="$tests/gltf-validator-$validator.min.js"

cp node_modules/axe-core/axe.min.js "$tests/axe-$axe.min.js"
cp node_modules/axe-core/LICENSE "$tests/axe.txt"
cp node_modules/gltf-validator/LICENSE "$tests/gltf-validator.txt"
cp node_modules/htmx.org/LICENSE "$out/licences/htmx.txt"
cp node_modules/bootstrap/LICENSE "$out/licences/bootstrap.txt"
cp node_modules/three/LICENSE "$out/licences/three.txt"
cp node_modules/@fontsource-variable/archivo/LICENSE "$out/licences/archivo.txt"
cp node_modules/@fontsource/ibm-plex-mono/LICENSE "$out/licences/ibm-plex-mono.txt"

# What the page of parts and the bill of materials say of them.
cat >"$out/parts.json" <<END
[
  {"name": "Bootstrap", "version": "$bootstrap", "use": "base of the style sheet", "licence": "MIT", "text": "bootstrap.txt"},
  {"name": "htmx", "version": "$htmx", "use": "swaps parts of a page", "licence": "0BSD", "text": "htmx.txt"},
  {"name": "three.js", "version": "$three", "use": "draws the turntable, and reads exports as a second opinion",
   "licence": "MIT", "text": "three.txt"},
  {"name": "Archivo", "version": "$archivo", "use": "type for words", "licence": "OFL-1.1", "text": "archivo.txt"},
  {"name": "IBM Plex Mono", "version": "$plex", "use": "type for figures", "licence": "OFL-1.1", "text": "ibm-plex-mono.txt"}
]
END
