package sheet

import (
	"bytes"
	"slices"
	"strings"
)

// namespaces knows which prefixes stand for other namespaces than those that
// workbooks are written in: those of extensions, whose elements and attributes
// may have the same local names. A prefix that was never declared is taken for
// one of ours.
type namespaces struct {
	foreign []string // prefixes, "" for the default
	depth   int      // of elements within one that declares a foreign default
}

// ours reports whether a namespace is one of those that are read (ECMA-376 part 1
// in both its forms, OpenDocument, XML of 2003 and the texts within that).
func ours(uri string) bool {
	return strings.HasPrefix(uri, "http://schemas.openxmlformats.org/") || strings.HasPrefix(uri, "http://purl.oclc.org/ooxml/") ||
		strings.HasPrefix(uri, "urn:oasis:names:tc:opendocument:xmlns:") || uri == xmlBookName || strings.HasPrefix(uri, "http://www.w3.org/TR/REC-html40")
}

// resolve marks the names of a tag that are of a foreign namespace, so that they
// equal none that is looked for: an element gets ? for its first character, and
// an attribute ? for its colon.
func (n *namespaces) resolve(tag []byte) {
	if len(tag) == 0 || tag[0] == '?' || tag[0] == '!' {
		return
	}
	declares := bytes.Contains(tag, []byte("xmlns"))
	if declares {
		wholeAttributes(tag, n.declare)
	}
	if n.depth > 0 || declares && slices.Contains(n.foreign, "") {
		n.withinForeign(tag)
		return
	}
	if len(n.foreign) == 0 || bytes.IndexByte(tag, ':') < 0 {
		return
	}
	wholeAttributes(tag, func(name, _ []byte) {
		i := bytes.IndexByte(name, ':')
		if i > 0 && n.isForeign(name[:i]) {
			name[i] = '?'
		}
	})
	element := bytes.TrimPrefix(tag, []byte("/"))
	end := bytes.IndexAny(element, " \t\r\n/")
	if end >= 0 {
		element = element[:end]
	}
	i := bytes.IndexByte(element, ':')
	if i > 0 && n.isForeign(element[:i]) {
		tag[0], element[i] = '?', '?'
	}
}

// withinForeign follows the elements of a foreign default namespace to the end
// of the one that declares it.
func (n *namespaces) withinForeign(tag []byte) {
	switch {
	case tag[0] == '/':
		n.depth--
	case !closed(tag):
		n.depth++
	}
	if n.depth == 0 {
		n.foreign = slices.DeleteFunc(n.foreign, func(p string) bool { return p == "" })
	}
	i := bytes.IndexByte(tag, ':')
	if i > 0 {
		tag[i] = '?'
	}
	tag[0] = '?'
}

// declare adds an attribute if it declares a prefix.
func (n *namespaces) declare(name, uri []byte) {
	prefix, ok := strings.CutPrefix(string(name), "xmlns")
	if !ok || prefix != "" && prefix[0] != ':' {
		return
	}
	prefix = strings.TrimPrefix(prefix, ":")
	n.foreign = slices.DeleteFunc(n.foreign, func(p string) bool { return p == prefix })
	if !ours(string(uri)) {
		n.foreign = append(n.foreign, prefix)
	}
}

func (n *namespaces) isForeign(prefix []byte) bool {
	for _, p := range n.foreign {
		if string(prefix) == p {
			return true
		}
	}
	return false
}
