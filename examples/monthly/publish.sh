#!/bin/sh
# Weaves the report of a month for every reader, with nobody there: by a timer, or in a build service.
#
#   publish.sh [MONTH]
#
# What a machine keeps from one run to the next is one folder, $CACHE: the stored results, and the secret by which they
# are known as one's own. A build service that keeps this folder makes no block run twice, wherever it checks out the
# project. The exit code is that of the weave; reports/weave.xml is for the build service, reports/events.jsonl for a log.
set -eu
cd "$(dirname "$0")"
month=${1:-June}
cache=${CACHE:-$HOME/.cache/hollin-ridge}
vineloom=${VINELOOM:-vineloom}

mkdir -p "$cache" reports
export XDG_DATA_HOME="$cache/data"
if [ -f "$cache/results.tar" ]; then
    "$vineloom" store import "$cache/results.tar"
fi

code=0
"$vineloom" weave report.vine.md --each readers.csv --name "$month-@[grower]" --set month="$month" \
    --to pdf --out sent --trust --junit reports/weave.xml --json > reports/events.jsonl || code=$?

# What ran before a failure is kept too.
"$vineloom" store clean --keep 500MB
"$vineloom" store export "$cache/results.tar"
exit "$code"
