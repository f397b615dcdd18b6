#!/bin/sh
# test_symbols.sh NM LIBRARY...: all that firmware links of us begins with ys_, so that it meets nothing of the firmware's.
set -eu
nm=$1
shift
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
for library in "$@"; do
    # a sanitizer adds names of its own, which begin with __
    "$nm" -g --defined-only "$library" 2>/dev/null | awk 'NF == 3 && $3 !~ /^__/ { print $3 }' >>"$work/names"
done
count=$(grep -c '^ys_' "$work/names")
if [ "$count" -lt 300 ]; then
    echo "only $count names were found: what was looked at?"
    exit 1
fi
if grep -v '^ys_' "$work/names"; then
    echo "these names do not begin with ys_"
    exit 1
fi
