#!/bin/sh
# Sixteen parts of one folder as a Slurm array: sbatch --array=1-16 slurm.sh PROPS BUILD
#SBATCH --job-name=yarvek-batch
#SBATCH --output=/dev/null
yarvek batch "$1" -o "$2" --shard "$SLURM_ARRAY_TASK_ID/16" --cache "$2/.yarvek/made"
[ $? -le 3 ] # 1 to 3 are said in the report
