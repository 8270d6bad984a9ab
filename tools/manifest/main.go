// Manifest reads a Kubernetes manifest as the API does: into the type of its kind, strictly, so that a key or a value
// the type has not is an error. It is a module of its own, so that Yarvek does not depend on what it needs.
package main

import (
	"fmt"
	"os"

	batch "k8s.io/api/batch/v1"
	"sigs.k8s.io/yaml"
)

func main() {
	if err := check(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func check(args []string) error {
	if len(args) != 1 {
		return fmt.Errorf("usage: manifest FILE")
	}
	text, err := os.ReadFile(args[0])
	if err != nil {
		return err
	}
	var job batch.Job
	if err := yaml.UnmarshalStrict(text, &job); err != nil {
		return fmt.Errorf("%s: %w", args[0], err)
	}
	switch mode := job.Spec.CompletionMode; {
	case job.APIVersion != "batch/v1" || job.Kind != "Job":
		return fmt.Errorf("%s: expected a Job of batch/v1, found %s of %s", args[0], job.Kind, job.APIVersion)
	case mode == nil || *mode != batch.IndexedCompletion || job.Spec.Completions == nil:
		return fmt.Errorf("%s: expected an Indexed Job with its number of completions", args[0])
	case len(job.Spec.Template.Spec.Containers) == 0:
		return fmt.Errorf("%s: expected a container", args[0])
	}
	mounted := map[string]bool{}
	for _, v := range job.Spec.Template.Spec.Volumes {
		mounted[v.Name] = true
	}
	for _, c := range job.Spec.Template.Spec.Containers {
		for _, m := range c.VolumeMounts {
			if !mounted[m.Name] {
				return fmt.Errorf("%s: %s mounts %s, which is no volume", args[0], c.Name, m.Name)
			}
		}
	}
	fmt.Printf("%s: an Indexed Job of %d\n", args[0], *job.Spec.Completions)
	return nil
}
