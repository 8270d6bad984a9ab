#!/bin/sh
# Starts Yarvek in a terminal, on your own data; the page opens in the browser.
cd "$(dirname "$0")" && exec ./yarvek
