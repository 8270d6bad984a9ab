// Package core and what lies below it hold the rules of the job: no HTTP, SQL or
// HTML, no clock and no global state. Its one test keeps the layers apart.
package core
