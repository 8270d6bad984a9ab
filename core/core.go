// Package core and what lies below it hold the rules of the job: no HTTP, SQL or HTML, no clock and no global state.
// Its one test keeps the layers apart.
//
// Others may use it as a module. These are its doors, and stay as they are but for what is added; what changes is told
// in CHANGELOG.md:
//
//   - [yarvek/core/format]: Read, ReadBrief, Write, ByID, BySuffix, IsMesh, Suffixes; with bundle.File and bundle.New
//   - [yarvek/core/prep]: Prep, Parse, Run, Input and Result; Prep.Decide takes what --set takes
//   - [yarvek/core/deliver]: Make, Order, Parcel, Certificate; AsItCame and Stand for files of others
//   - [yarvek/core/target]: Target, Shipped, ByID, Parse and the file that it reads
//   - [yarvek/core/finding] and [yarvek/core/fault]: what is told
//
// All else is exported for the packages of the house, and may change any day. The formats of targets and preps as files
// are stable: docs/target.schema.json and docs/prep.schema.json.
package core
