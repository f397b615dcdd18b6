# bash completion for yarnswift
_yarnswift()
{
    local word=${COMP_WORDS[COMP_CWORD]} options=''
    if [ "$COMP_CWORD" -eq 1 ]; then
        COMPREPLY=($(compgen -W 'new check table pairing catalogue generate changes footprint interval throughput charge sweep compare explore rehearse meet air trace audit demo --help --version' -- "$word"))
        return
    fi
    case ${COMP_WORDS[1]} in
    new) options=' --help' ;;
    check) options='--strict --schema --json --help' ;;
    table) options='--json --help' ;;
    pairing) options='--page --replace --json --help' ;;
    catalogue) options='--json --help' ;;
    generate) options='--output --skeleton --depends --for --interface --help' ;;
    changes) options='--strict --json --help' ;;
    footprint) options='--compiler --json --help' ;;
    interval) options='--seconds --runs --scanner --any-phase --loss --bit-errors --neighbours --neighbours-interval --advertiser --advertising-set --controller --results --part --merge --undone --seed --plot --page --capture --replace --json --help' ;;
    throughput) options='--phy --central-phy --packet-length --mtu --interval --latency --event-length --encrypted --loss --bit-errors --distance --by-levels --network-channel --network-duty --network-distance --oven-distance --neighbours --adapts --both-ways --links --device-controller --central-controller --line --host-delay --central-host-delay --buffers --seconds --seed --carrier --controller --plot --from --to --key --bonds --page --capture --replace --json --help' ;;
    charge) options='--advertising-set --plot --replace --json --help' ;;
    sweep) options='--phy --central-phy --packet-length --mtu --interval --latency --event-length --encrypted --loss --bit-errors --distance --by-levels --network-channel --network-duty --network-distance --oven-distance --neighbours --adapts --both-ways --links --device-controller --central-controller --line --host-delay --central-host-delay --buffers --seconds --seed --carrier --results --part --merge --undone --jobs --plot --replace --heat --json --help' ;;
    compare) options='--threshold --all --page --replace --json --help' ;;
    explore) options='--firmware --modules --controller --outside --kind --seed --capture --replace --help' ;;
    rehearse) options='--seed --runs --jobs --time-limit --firmware --modules --controller --outside --steps --log --junit --page --check --schema --results --part --merge --undone --capture --replace --json --help' ;;
    meet) options='--firmware --modules --input --seconds --runs --until-found --seed --jobs --output --results --part --merge --page --replace --json --help' ;;
    air) options='--controllers --sockets --seconds --plug --firmware --modules --seed --capture --replace --help' ;;
    trace) options='--layer --filter --before --after --from --to --expect --view --packet --follow --controller --outside --values --plot --page --draw --replace --key --bonds --definition --seed --modules --json --help' ;;
    audit) options='--rule --except --all --rules --key --bonds --definition --seed --modules --page --replace --json --help' ;;
    demo) options='--seed --capture --replace --json --help' ;;
    esac
    case $word in
    -*) COMPREPLY=($(compgen -W "$options" -- "$word")) ;;
    *) COMPREPLY=($(compgen -f -- "$word")) ;;
    esac
}
complete -o filenames -F _yarnswift yarnswift
