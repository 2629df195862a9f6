package app

import "github.com/spf13/cobra"

// FileFlags name files that go with a message.
type FileFlags struct {
	Files   []int
	Confirm bool
}

// Add puts the flags on a command.
func (f *FileFlags) Add(c *cobra.Command) {
	c.Flags().IntSliceVar(&f.Files, "enclose", nil,
		"numbers of files of the case that go with it, in this order, like 1,3 (case files lists them)")
	c.Flags().BoolVar(&f.Confirm, "confirm-files", false,
		"confirm that sensitive files, and files with personal numbers in them, are to be sent")
}

// Sent are the files for a request; nil for none.
func (f *FileFlags) Sent() *[]int {
	if len(f.Files) == 0 {
		return nil
	}
	return &f.Files
}
