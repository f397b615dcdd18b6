#!/bin/sh
# test_clauses.sh ROOT: the page of clauses is that of the code, and each planted offence is found.
set -eu
root=$1
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

"$root/scripts/clauses" --check

mkdir "$work/docs" "$work/scripts"
cp "$root/docs/clauses.md" "$root/docs/clauses.list" "$work/docs"
cp "$root/scripts/clauses" "$work/scripts"
for folder in src include ports tests; do
    (cd "$root" && find "$folder" -name '*.[ch]' -exec cp --parents {} "$work" \;)
done
"$work/scripts/clauses" --check

# file, what is put at its end, what is said
offend() {
    cp "$work/$1" "$work/kept"
    printf '%s\n' "$2" >>"$work/$1"
    if "$work/scripts/clauses" --check 2>"$work/log"; then
        echo "$1 may have $2"
        exit 1
    fi
    grep -qF -- "$3" "$work/log" || { cat "$work/log"; exit 1; }
    mv "$work/kept" "$work/$1"
}

offend src/wire/att.c '/* Part F 3.4: requests. */' '"Part F" is no whole citation'
offend src/wire/att.c '/* 3.4.4.1: a request. */' '"3.4.4.1" is no whole citation'
offend src/wire/att.c '/* Vol 3 Part F 9.9: nothing. */' 'Vol 3 Part F 9.9 is not in docs/clauses.list'
offend src/host/host.c '/* Vol 3 Part A 4.25. */' 'docs/clauses.list has it left out'
offend docs/clauses.list '9.9 | something' 'no function cites CSS Part A 9.9'
offend docs/clauses.md 'more' 'docs/clauses.md is not that of the code'
offend src/host/host.c "$(printf '/* Vol 3 Part F 3.2.1. */\nstatic void one_more(void)\n{\n}')" \
    'docs/clauses.md is not that of the code'
