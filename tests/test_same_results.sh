#!/bin/sh
# test_same_results.sh ROOT COMMAND HELPERS [update|few]: the command gives the same results, byte for byte, as when the list
# beside this script was last written: what it prints, how it ends, and every file that it writes, but for pictures
# that another program draws from those. A change that is to change nothing changes nothing here; one that is to change
# something is followed by `update`, and the new list is read.
# A line `damaged SEED FILE` stands for all that is asked about that file after support/damage.c has been at it, and
# `conversation SEED` for all that support/conversation.c prints; `test_audit` for all that is said of its cases. These
# programs are in the folder HELPERS.
# With `few` one in ten of the damaged files is looked at, and every fourth question that leaves no capture.
# Numbers with fractions may be rounded otherwise by other processors: elsewhere than on x86-64 only what ends well is
# looked for.
set -eu
root=$(realpath "$1")
command=$(realpath "$2")
helpers=$(realpath "$3")
build=$(dirname "$helpers")
list=$root/tests/same_results.list
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir "$work/in"
mkdir "$work/in/scenes"
ln -s "$root/examples" "$root/tests" "$root/fuzz" "$root"/examples/*/ "$work/in" 2>/dev/null || true # but for scenes
cd "$work/in"

# SEED FILE: what is said of the damaged file.
damaged() {
    case $2 in
    *.pcap*)
        file=../damaged.pcapng
        set -- "$1" "$2" "audit --json" "audit --all" "trace --json --layer=air" "trace --json --layer=l2cap" \
            "trace --json --layer=values" "trace --layer=hci" "trace --packet=$((50 + $1 * 7))" \
            "trace --packet=$((80 + $1 * 11))" "interval" "throughput"
        ;;
    *.scene.yaml)
        file=scenes/damaged.scene.yaml
        set -- "$1" "$2" "rehearse --check" "rehearse --json"
        ;;
    *)
        file=../damaged.device.yaml
        set -- "$1" "$2" "check" "table" "table --json" "generate --output=../damaged" "generate --interface"
        ;;
    esac
    rm -rf ../damaged
    mkdir ../damaged
    "$helpers/damage" "$1" "$2" $file || return
    shift 2
    for question; do
        # shellcheck disable=SC2086
        "$command" $question $file </dev/null
        ended=$?
        echo "status $ended"
        [ $ended -lt 128 ] || return $ended
    done
    cat ../damaged/* 2>/dev/null || true
}

wrong=0
asked=0 # of what leaves nothing for others, with few
while read -r hash arguments; do
    case $hash in
    "" | "#"*)
        echo "$hash${arguments:+ $arguments}" >>"$work/list"
        continue
        ;;
    *)
        case ${4-}$arguments in
        fewdamaged\ *[1-9]\ *) continue ;;
        fewtrace\ * | fewaudit\ * | fewtable\ * | fewcatalogue\ * | fewcheck\ * | fewconversation\ *)
            asked=$((asked + 1))
            [ $((asked % 4)) = 1 ] || continue
            ;;
        esac
        ;;
    esac
    status=0
    # shellcheck disable=SC2086
    case $arguments in
    "damaged "*) damaged ${arguments#* } >"$work/printed" 2>&1 || status=$? ;;
    test_audit) "$helpers/test_audit" print >"$work/printed" || status=$? ;;
    "conversation "*) "$helpers/conversation" "${arguments#* }" >"$work/printed" || status=$? ;;
    *) "$command" $arguments >"$work/printed" 2>&1 </dev/null || status=$? ;;
    esac
    echo "status $status" >>"$work/printed"
    # what was looked at is made old, so that what is not old was written now
    found=$({
        sed "s|$build|BUILD|g" "$work/printed"
        find . -maxdepth 1 -type f ! -name '*.svg' -newermt 1980-01-01 | LC_ALL=C sort |
            tar -cf - --mtime=@0 --owner=0 --group=0 --mode=0644 --sort=none -T -
    } | sha256sum | cut -c1-16)
    find . -maxdepth 1 -type f -newermt 1980-01-01 -exec touch -d 1970-01-02 {} +
    echo "$found $arguments" >>"$work/list"
    if [ "$found" != "$hash" ] && [ "$(uname -m)" = x86_64 ]; then
        [ "${4-}" = update ] || echo "another result: yarnswift $arguments"
        wrong=1
    fi
    if [ "$status" -ge 128 ]; then
        echo "it crashed: $arguments"
        exit 1
    fi
done <"$list"
if [ "${4-}" = update ]; then
    cp "$work/list" "$list"
elif [ $wrong = 1 ]; then
    echo "if that was meant: tests/test_same_results.sh . build/bin/yarnswift build/bin update"
    exit 1
fi
