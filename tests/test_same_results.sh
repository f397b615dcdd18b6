#!/bin/sh
# test_same_results.sh ROOT COMMAND HELPERS [update]: the command gives the same results, byte for byte, as when the list
# beside this script was last written: what it prints, how it ends, and every file that it writes, but for pictures
# that another program draws from those. A change that is to change nothing changes nothing here; one that is to change
# something is followed by `update`, and the new list is read.
# A line `damaged SEED CAPTURE` stands for all that is asked about that capture after support/damage.c has been at it, and
# `conversation SEED` for all that support/conversation.c prints; both programs are in the folder HELPERS.
# Numbers with fractions may be rounded otherwise by other processors: elsewhere than on x86-64 only what ends well is
# looked for.
set -eu
root=$(realpath "$1")
command=$(realpath "$2")
helpers=$(realpath "$3")
list=$root/tests/same_results.list
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir "$work/in"
ln -s "$root/examples" "$root/tests" "$root/fuzz" "$work/in"
cd "$work/in"

# SEED CAPTURE: what is said of the damaged capture.
damaged() {
    "$helpers/damage" "$1" "$2" ../damaged.pcapng
    for question in "audit --json" "audit --all" "trace --json --level=air" "trace --json --level=l2cap" \
        "trace --json --level=values" "trace --level=hci" "trace --packet=$((50 + $1 * 7))" \
        "trace --packet=$((80 + $1 * 11))" "interval" "throughput"; do
        # shellcheck disable=SC2086
        "$command" $question ../damaged.pcapng </dev/null || echo "status $?"
    done
}

wrong=0
while read -r hash arguments; do
    case $hash in
    "" | "#"*)
        echo "$hash${arguments:+ $arguments}" >>"$work/list"
        continue
        ;;
    esac
    status=0
    # shellcheck disable=SC2086
    case $arguments in
    "damaged "*) damaged ${arguments#* } >"$work/printed" 2>&1 || status=$? ;;
    "conversation "*) "$helpers/conversation" "${arguments#* }" >"$work/printed" || status=$? ;;
    *) "$command" $arguments >"$work/printed" 2>&1 </dev/null || status=$? ;;
    esac
    echo "status $status" >>"$work/printed"
    # what was looked at is made old, so that what is not old was written now
    found=$({
        cat "$work/printed"
        find . -maxdepth 1 -type f ! -name '*.svg' -newermt 1980-01-01 | LC_ALL=C sort |
            tar -cf - --mtime=@0 --owner=0 --group=0 --mode=0644 --sort=none -T -
    } | sha256sum | cut -c1-16)
    find . -maxdepth 1 -type f -newermt 1980-01-01 -exec touch -d 1970-01-02 {} +
    echo "$found $arguments" >>"$work/list"
    if [ "$found" != "$hash" ] && [ "$(uname -m)" = x86_64 ]; then
        [ "${4-}" = update ] || echo "another result: yarnswift $arguments"
        wrong=1
    fi
    [ "$status" -lt 128 ] || exit 1
done <"$list"
if [ "${4-}" = update ]; then
    cp "$work/list" "$list"
elif [ $wrong = 1 ]; then
    echo "if that was meant: tests/test_same_results.sh . build/bin/yarnswift build/bin update"
    exit 1
fi
