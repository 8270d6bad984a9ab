#!/bin/sh
# Starts Yarvek on your own data; the page opens in the browser. Without a terminal it runs until it is told to end.
cd "$(dirname "$0")" && exec ./yarvek
