package naming

// Distance is how many bytes are changed, put in or taken out to make b of a.
func Distance(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := range len(a) {
		before := row[0]
		row[0] = i + 1
		for j := range len(b) {
			swap := before
			if a[i] != b[j] {
				swap++
			}
			before = row[j+1]
			row[j+1] = min(swap, row[j]+1, before+1)
		}
	}
	return row[len(b)]
}
