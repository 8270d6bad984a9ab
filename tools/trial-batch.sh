#!/usr/bin/env bash
# Tries the recipes of docs/pipelines.md with Debian's own packages: GNU parallel over local workers, and a Slurm array
# on a cluster of this one machine, which it starts and ends. Each is to give byte for byte what one run gives. JUnit is
# judged by xmllint, the Git hook in a repository of its own. What is not installed is passed over, and said.
set -euo pipefail
cd "$(dirname "$0")/.."
work=$(mktemp -d)
pids=()
trap 'for p in "${pids[@]}"; do kill "$p" 2>/dev/null || true; done; rm -rf "$work"' EXIT
go build -o "$work/bin/yarvek" ./cmd/yarvek
export PATH=$work/bin:$PATH

mkdir -p "$work/props"
for i in $(seq 1 "${ASSETS:-200}"); do
  mkdir -p "$work/props/rack $((i / 20))"
  cat > "$work/props/rack $((i / 20))/crate $i.obj" <<OBJ
o crate $i
v 0 0 0
v 1 0 0
v 1 1.$i 0
v 0 1.$i 0
v 0 0 1
v 1 0 1
v 1 1.$i 1
v 0 1.$i 1
f 4 3 2 1
f 5 6 7 8
f 1 2 6 5
f 2 3 7 6
f 3 4 8 7
f 4 1 5 8
OBJ
done
echo "no mesh" > "$work/props/broken.glb"

same() { # OUT: is what one run gave
  diff -r --exclude=.yarvek --exclude='report-*' --exclude=junit.xml "$work/one" "$1"
  echo "the same as one run: $2"
}
ends() { "$@" && code=0 || code=$?; [ "$code" -le 3 ]; }

ends yarvek batch "$work/props" -o "$work/one" --junit "$work/one/junit.xml"
if command -v xmllint > /dev/null; then
  xmllint --noout --schema internal/report/testdata/junit.xsd "$work/one/junit.xml"
else
  echo "passed over: xmllint is not installed"
fi

if command -v parallel > /dev/null; then
  seq 1 16 | parallel -j 4 "yarvek batch '$work/props' -o '$work/parallel' --shard {}/16 > /dev/null; [ \$? -le 3 ]"
  ends yarvek batch merge -o "$work/parallel" "$work"/parallel/report-*-of-16.json
  same "$work/parallel" "sixteen parts by GNU parallel"
else
  echo "passed over: GNU parallel is not installed"
fi

if command -v slurmctld > /dev/null && command -v munged > /dev/null; then
  mkdir -p "$work/slurm/state" "$work/slurm/spool" "$work/munge"
  chmod 700 "$work/munge"
  head -c 1024 /dev/urandom > "$work/munge/key"
  chmod 400 "$work/munge/key"
  munged --force --foreground --key-file="$work/munge/key" --socket="$work/munge/socket" \
    --pid-file="$work/munge/pid" --seed-file="$work/munge/seed" --log-file="$work/munge/log" 2> /dev/null &
  pids+=($!)
  cat > "$work/slurm/slurm.conf" <<CONF
ClusterName=trial
SlurmctldHost=$(hostname)(127.0.0.1)
SlurmUser=$(id -un)
AuthType=auth/munge
AuthInfo=socket=$work/munge/socket
CredType=cred/munge
ProctrackType=proctrack/linuxproc
TaskPlugin=task/none
StateSaveLocation=$work/slurm/state
SlurmdSpoolDir=$work/slurm/spool
SlurmctldPidFile=$work/slurm/ctld.pid
SlurmdPidFile=$work/slurm/d.pid
SlurmctldLogFile=$work/slurm/ctld.log
SlurmdLogFile=$work/slurm/d.log
ReturnToService=2
NodeName=$(hostname) NodeAddr=127.0.0.1 CPUs=$(nproc) State=UNKNOWN
PartitionName=all Nodes=ALL Default=YES MaxTime=INFINITE State=UP
CONF
  export SLURM_CONF=$work/slurm/slurm.conf
  sleep 1
  slurmctld -D > "$work/slurm/ctld.out" 2>&1 &
  pids+=($!)
  slurmd -D > "$work/slurm/d.out" 2>&1 &
  pids+=($!)
  for _ in $(seq 1 50); do sinfo -h 2> /dev/null | grep -q idle && break; sleep 0.2; done
  sbatch --wait --array=1-16 --export=ALL docs/pipelines/slurm.sh "$work/props" "$work/slurmed" > /dev/null
  ends yarvek batch merge -o "$work/slurmed" "$work"/slurmed/report-*-of-16.json
  same "$work/slurmed" "sixteen parts by a Slurm array"
else
  echo "passed over: Slurm is not installed"
fi

# The types of the API judge the manifest; they come from the module cache, or are passed over.
if (cd tools/manifest && go build -o "$work/bin/manifest" . 2> /dev/null); then
  manifest docs/pipelines/kubernetes.yaml
  sed 's/completionMode/completionMood/' docs/pipelines/kubernetes.yaml > "$work/mood.yaml"
  if manifest "$work/mood.yaml" 2> /dev/null; then echo "a manifest with a wrong key was taken" && exit 1; fi
else
  echo "passed over: the modules of tools/manifest can't be had"
fi

# Memory does not grow with how many there are.
peak() { # FOLDER: the most memory that a run takes, in MB
  python3 - "$1" "$work/peak" << 'PY'
import resource, shutil, subprocess, sys
shutil.rmtree(sys.argv[2], ignore_errors=True)
subprocess.run(["yarvek", "batch", sys.argv[1], "-o", sys.argv[2]], stdout=subprocess.DEVNULL)
print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss // 1000)
PY
}
if command -v python3 > /dev/null; then
  for n in 20 200; do
    mkdir -p "$work/many$n"
    python3 - "$work/many$n" "$n" << 'PY'
import math, sys
for k in range(int(sys.argv[2])):
    n, out = 100, ["o rock %d" % k]
    out += ["v %.4f %.4f %.4f" % (i / 50, 1 + .3 * math.sin(i / 9 + k) * math.cos(j / 7), j / 50)
            for i in range(n) for j in range(n)]
    at = lambda i, j: i * n + j + 1
    out += ["f %d %d %d %d" % (at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j))
            for i in range(n - 1) for j in range(n - 1)]
    open("%s/rock %d.obj" % (sys.argv[1], k), "w").write("\n".join(out))
PY
  done
  echo "the most memory: $(peak "$work/many20") MB for 20 assets of 19 602 triangles, $(peak "$work/many200") MB for 200"
fi

repo=$work/repo
git init -q "$repo"
cp docs/pipelines/pre-commit "$repo/.git/hooks/"
cp "$work/props/rack 0/crate 1.obj" "$repo/crate.obj"
git -C "$repo" add crate.obj
git -C "$repo" -c user.name=trial -c user.email=trial@localhost commit -q -m "A crate"
cp "$work/props/broken.glb" "$repo/"
git -C "$repo" add broken.glb
if git -C "$repo" -c user.name=trial -c user.email=trial@localhost commit -q -m "No mesh" > /dev/null 2>&1; then
  echo "the hook let a file pass that is no mesh" && exit 1
fi
echo "the Git hook takes a sound mesh and refuses what is none"
