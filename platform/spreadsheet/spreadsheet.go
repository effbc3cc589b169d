// Package spreadsheet keeps what we write for spreadsheets harmless there.
package spreadsheet

import "strings"

// Inert keeps a spreadsheet from computing a cell: one that begins as a formula does gets an apostrophe
// before it, but for a negative number.
func Inert(cell string) string {
	if cell != "" && (strings.IndexByte("=+@\t\r", cell[0]) >= 0 || (cell[0] == '-' && strings.Trim(cell[1:], "0123456789.,") != "")) {
		return "'" + cell
	}
	return cell
}
