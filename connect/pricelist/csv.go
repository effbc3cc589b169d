package pricelist

import (
	"bufio"
	"bytes"
	"io"
	"strings"
	"unicode/utf8"
)

// Row is a row of a table. Place is its line in the file or its row in the sheet, from 1.
type Row struct {
	Number int
	Cells  []string
	// Error says why the row as a whole cannot be read; its cells are then what there is.
	Error string
	// kinds are what a workbook says of the cells; nil in a text file.
	kinds []cellKind
	// width is how many cells the row had before it was cut.
	width int
	// cut is true for a file's last row where it has no line end and its last cell is a number shorter than the one
	// above.
	cut bool
	// unended is true for a file's last row where it has no line end.
	unended bool
}

// rows reads a table row by row; the end is io.EOF.
type rows interface {
	next() (Row, error)
	close()
}

const (
	mostRecordBytes = 64 << 10 // of one record
	mostRecordLines = 200
	mostColumns     = 500
	mostLineBytes   = 1 << 20
)

// csvRows reads RFC 4180, with any delimiter, and forgives what people's tools write: line
// ends of all kinds, quotes within a field, rows of differing length. A quote that is never
// closed costs its own row only: reading goes on with the next line.
type csvRows struct {
	in      *bufio.Reader
	delim   byte
	utf8    bool // the bytes are as they are in the file, and may not be UTF-8
	pending []string
	line    int
	ended   bool
	tooLong bool     // a line of the record is longer than can be kept
	last    bool     // the line ends with the file, without a line end
	tail    int      // letters of the last cell of the row before
	odd     bool     // the record has bytes that no text has
	room    []string // for the cells of the next rows, allocated many at a time
}

func newCSV(r io.Reader, l *Layout) *csvRows {
	r = decoded(r, l.Encoding)
	delim := byte(',')
	if l.Delimiter != "" {
		delim = l.Delimiter[0]
	}
	in := bufio.NewReaderSize(r, 1<<16)
	if start, err := in.Peek(3); err == nil && bytes.Equal(start, []byte("\xef\xbb\xbf")) {
		_, _ = in.Discard(3) // peeked at: it is there
	}
	return &csvRows{in: in, delim: delim, utf8: l.Encoding == UTF8}
}

func (c *csvRows) close() {}

const (
	lineTooLong = "its line is longer than 1 MB"
	cutShort    = "the file ends within this row, perhaps: its last figure may be cut"
)

// readLine reads a line without its end, which is LF, CRLF or CR.
func (c *csvRows) readLine() (string, error) {
	if n := len(c.pending); n > 0 {
		line := c.pending[0]
		c.pending = c.pending[1:]
		c.look(line)
		return line, nil
	}
	if c.ended {
		return "", io.EOF
	}
	var long []byte
	for {
		part, err := c.in.ReadSlice('\n')
		if err == bufio.ErrBufferFull {
			if len(long)+len(part) > mostLineBytes {
				c.tooLong = true
				continue // what follows of it is passed over
			}
			long = append(long, part...)
			continue
		}
		if err != nil && err != io.EOF {
			return "", err
		}
		if err == io.EOF {
			c.ended = true
			if len(part) == 0 && len(long) == 0 {
				return "", io.EOF
			}
		}
		if long != nil {
			part = append(long, part...)
		}
		c.last = err == io.EOF
		text := strings.TrimSuffix(strings.TrimSuffix(string(part), "\n"), "\r")
		if strings.IndexByte(text, '\r') >= 0 { // old Macs end lines with CR alone
			lines := strings.Split(text, "\r")
			c.pending = append(lines[1:len(lines):len(lines)], c.pending...)
			text = lines[0]
		}
		c.look(text)
		return text, nil
	}
}

// look notes a line that has more in it than text.
func (c *csvRows) look(line string) {
	c.odd = c.odd || strings.IndexByte(line, 0) >= 0 || (c.utf8 && !utf8.ValidString(line))
}

func (c *csvRows) next() (Row, error) {
	c.odd, c.tooLong, c.last = false, false, false
	line, err := c.readLine()
	if err != nil {
		return Row{}, err
	}
	c.line++
	at := c.line
	row := Row{Number: at}
	if strings.IndexByte(line, '"') < 0 {
		row.Cells = c.split(line)
	} else {
		row.Cells, row.Error = c.quoted(line)
	}
	if c.tooLong {
		row.Error = lineTooLong
		for i, cell := range row.Cells {
			row.Cells[i] = cell[:min(len(cell), 200)]
		}
	}
	if n := len(row.Cells); n > 0 {
		tail := row.Cells[n-1]
		row.unended = c.last
		row.cut = c.last && tail != "" && len(tail) < c.tail && tail[len(tail)-1] >= '0' && tail[len(tail)-1] <= '9'
		c.tail = len(tail)
	}
	if len(row.Cells) > mostColumns {
		row.Cells, row.Error = row.Cells[:mostColumns], "the row has more than 500 cells"
	}
	if c.odd {
		for i, cell := range row.Cells {
			if c.utf8 && !utf8.ValidString(cell) {
				row.Error = "the row is not in the encoding of the rest of the file"
				cell = strings.ToValidUTF8(cell, "\uFFFD")
			}
			row.Cells[i] = strings.ReplaceAll(cell, "\x00", "")
		}
	}
	return row, nil
}

func (c *csvRows) split(line string) []string {
	n := strings.Count(line, string(rune(c.delim))) + 1
	if n > len(c.room) {
		c.room = make([]string, max(n, 4096))
	}
	cells := c.room[:0:n]
	c.room = c.room[n:]
	for {
		at := strings.IndexByte(line, c.delim)
		if at < 0 {
			return append(cells, line)
		}
		cells = append(cells, line[:at])
		line = line[at+1:]
	}
}

const neverClosed = "a quote is opened and never closed"

// quoted reads a record with quotes, which may go over several lines.
func (c *csvRows) quoted(line string) ([]string, string) {
	var cells []string
	var cell strings.Builder
	var more []string // further lines of this record
	first := line
	size := len(line)
	for {
		// At the beginning of a field.
		if !strings.HasPrefix(line, `"`) {
			at := strings.IndexByte(line, c.delim)
			if at < 0 {
				return append(cells, line), ""
			}
			cells = append(cells, line[:at])
			line = line[at+1:]
			continue
		}
		cell.Reset()
		line = line[1:]
		spans := false
		for {
			at := strings.IndexByte(line, '"')
			if at < 0 { // the field goes on in the next line
				cell.WriteString(line)
				further, err := c.readLine()
				size += len(further) + 1
				if err != nil || size > mostRecordBytes || len(more) >= mostRecordLines {
					if err == nil {
						more = append(more, further)
					}
					return c.giveUp(first, more)
				}
				more = append(more, further)
				cell.WriteByte('\n')
				line, spans = further, true
				continue
			}
			cell.WriteString(line[:at])
			line = line[at+1:]
			switch {
			case strings.HasPrefix(line, `"`):
				cell.WriteByte('"')
				line = line[1:]
				continue
			case line == "":
				c.line += len(more)
				return append(cells, cell.String()), ""
			case line[0] == c.delim:
				line = line[1:]
			case spans:
				// A quote that cannot end its field, in a later line: the first was never closed.
				return c.giveUp(first, more)
			default:
				cell.WriteByte('"') // within the field, as in "5" pipe"
				continue
			}
			break
		}
		cells = append(cells, cell.String())
	}
}

// giveUp sets the first line aside and goes on with those after it.
func (c *csvRows) giveUp(first string, more []string) ([]string, string) {
	c.pending = append(more[:len(more):len(more)], c.pending...)
	return c.split(first), neverClosed
}

// rowsAhead reads rows while those before are being used.
type rowsAhead struct {
	in    rows
	ready chan rowChunk
	stop  chan struct{}
	now   rowChunk
	at    int
}

type rowChunk struct {
	rows []Row
	err  error
}

const chunkRows = 512

func readAhead(in rows) *rowsAhead {
	a := &rowsAhead{in: in, ready: make(chan rowChunk, 4), stop: make(chan struct{})}
	go func() {
		defer close(a.ready)
		for {
			chunk := rowChunk{rows: make([]Row, 0, chunkRows)}
			for len(chunk.rows) < chunkRows && chunk.err == nil {
				var row Row
				if row, chunk.err = in.next(); chunk.err == nil {
					chunk.rows = append(chunk.rows, row)
				}
			}
			select {
			case a.ready <- chunk:
			case <-a.stop:
				return
			}
			if chunk.err != nil {
				return
			}
		}
	}()
	return a
}

func (a *rowsAhead) next() (Row, error) {
	for a.at == len(a.now.rows) {
		if a.now.err != nil {
			return Row{}, a.now.err
		}
		a.now, a.at = <-a.ready, 0
	}
	a.at++
	return a.now.rows[a.at-1], nil
}

// close ends the reading before the file is closed.
func (a *rowsAhead) close() {
	close(a.stop)
	for range a.ready {
		continue
	}
	a.in.close()
}

// Rows reads comma-separated values in UTF-8, as a price list's are read: a row that cannot be, such as one with a
// quote that is never closed, costs itself only and says so in its Trouble. The end is io.EOF.
func Rows(r io.Reader) func() (Row, error) {
	return newCSV(r, &Layout{Encoding: UTF8, Delimiter: ","}).next
}
