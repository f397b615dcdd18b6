#!/bin/sh
# parallel.sh SHARES VERB OPTIONS... FILES...: the same as array.sh without a scheduler, with GNU parallel: one share for each core of
# this machine at a time, or on those that PARALLEL names (--sshlogin and so on, see its manual). Shares that are done already
# cost nothing, so that the same command goes on after whatever has ended it.
#
#   ./parallel.sh 8 sweep torque_wrench.device.yaml --mtu 23..247/8 --phy 1M,2M --jobs 1
set -eu
shares=$1
shift
mkdir -p results
# shellcheck disable=SC2016
seq "$shares" | parallel --quote yarnswift "$@" --part "{}/$shares" --results "results/{}.sqlite"
