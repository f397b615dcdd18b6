#!/bin/sh
#SBATCH --job-name=yarnswift --array=0-7 --cpus-per-task=1 --output=task-%a.txt
# array.sh VERB OPTIONS... FILES...: one task of a job array, which does its share of a sweep, of the searches of interval, of
# the takes of rehearse, or of the encounters of meet. Each task keeps what it has done in a file of its own, results/I.sqlite;
# a task that is begun again goes on from there. To do some shares again, say of how many they are:
#
#   sbatch array.sh sweep torque_wrench.device.yaml --mtu 23..247/8 --phy 1M,2M --jobs 1
#   TASKS=0-7 sbatch --array=3 array.sh sweep torque_wrench.device.yaml --mtu 23..247/8 --phy 1M,2M --jobs 1
#
# This is for a scheduler whose tasks know their number as SLURM_ARRAY_TASK_ID; with another, only these names are different.
# An array may count from 0 or from 1.
set -eu
tasks=${TASKS:-$SLURM_ARRAY_TASK_MIN-$SLURM_ARRAY_TASK_MAX}
mkdir -p results
exec yarnswift "$@" --part "$SLURM_ARRAY_TASK_ID/$tasks" --results "results/$SLURM_ARRAY_TASK_ID.sqlite"
