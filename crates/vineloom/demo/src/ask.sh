#!/bin/sh
# Asks one probe for its latest frame.
#
probe=$1
[ -n "$probe" ] || { echo "usage: ask.sh PROBE" >&2; exit 2; }

printf 'ASK %s\n' "$probe" > /dev/ttyUSB0
head -c 12 /dev/ttyUSB0
