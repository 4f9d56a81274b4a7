package source_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/source"
)

// TestCodePages guesses the encoding of a few short cells among many of ASCII.
func TestCodePages(t *testing.T) {
	for _, c := range []struct{ encoding, line string }{
		{"windows-1252", "No;Käfer im Bernstein;Größe 5;München"},
		{"windows-1252", "No;insecte conservé;forêt à côté;l’été, 12,50 €"},
		{"windows-1252", "No;araña pequeña;colección;año"},
		{"windows-1252", "No;formação antiga;coleção;São João"},
		{"windows-1252", "No;ærlig smørblomst på øya;Åse"},
		{"windows-1252", "No;Zoë;café;Ångström;Muñoz;Søren"},
		{"windows-1250", "No;żółty bursztyn;Gdańsk, wieś;ćma, gąsienica"},
		{"windows-1250", "No;příliš žluťoučký kůň;České Budějovice;mušle"},
		{"windows-1250", "No;sárga borostyán;őszi gyűjtemény;tűzkő"},
		{"iso-8859-2", "No;żółty bursztyn;Gdańsk, wieś;ćma, gąsienica"},
		{"iso-8859-2", "No;příliš žluťoučký kůň;České Budějovice;mušle"},
		{"windows-1251", "№;насекомое в янтаре;Музей у залива;Карьер старый"},
		{"koi8-r", "No;насекомое в янтаре;Музей у залива;Карьер старый"},
		{"ibm866", "No;насекомое в янтаре;Музей у залива;Карьер старый"},
		{"iso-8859-5", "No;насекомое в янтаре;Музей у залива;Карьер старый"},
		{"windows-1251", "NO;НАСЕКОМОЕ В ЯНТАРЕ;МУЗЕЙ У ЗАЛИВА;КАРЬЕР СТАРЫЙ"},
		{"koi8-r", "NO;НАСЕКОМОЕ В ЯНТАРЕ;МУЗЕЙ У ЗАЛИВА;КАРЬЕР СТАРЫЙ"},
		{"windows-1253", "No;έντομο σε κεχριμπάρι;Μουσείο του Κόλπου;παλιό λατομείο"},
		{"windows-1254", "No;kehribar içinde böcek;İğneada, kışlık;çığlık, ağaç, ışık"},
		{"windows-1255", "No;חרק בענבר;מוזיאון המפרץ;מחצבה ישנה"},
		{"windows-874", "รหัส;แมลงในอำพัน;พิพิธภัณฑ์อ่าว;กรุงเทพมหานคร"},
		{"windows-1257", "No;dzintara kukaiņi;Jūrmala, pļava;bērzs, šķēle"},
		{"ibm850", "No;Käfer im Bernstein;Größe 5;München"},
		{"ibm437", "No;araña pequeña;colección;señor"},
		{"ibm852", "No;żółty bursztyn;Gdańsk, wieś;ćma, gąsienica"},
		{"macintosh", "No;Käfer im Bernstein;Größe 5;München"},
		{"shift_jis", "番号;琥珀;2026年3月5日;2026年12月31日"},
		{"shift_jis", "No;ｶﾌﾞｼｷｶﾞｲｼｬ;ﾀﾅｶ ｲﾁﾛｳ;ﾐﾅﾄｸ"},
		{"euc-jp", "標本番号;担当者;昭和六十年;蜘蛛"},
		{"euc-kr", "번호;2026년 3월 5일;2026년 12월 31일;호박"},
		{"gb18030", "编号;2009年12月12日;2023年2月8日;捐赠"},
		{"big5", "編號;信義區;2009年12月12日;2023年2月8日"},
	} {
		t.Run(c.encoding, func(t *testing.T) {
			text := "No;Name;Place;Note\n" + strings.Repeat("1;gnat;Harrow;x\n", 50) + strings.Repeat(c.line+"\n", 3)
			enc, err := source.EncoderByName(c.encoding)
			require.NoError(t, err)
			raw, err := enc.NewEncoder().Bytes([]byte(text))
			require.NoError(t, err)
			got, s := readAll(t, &source.Opener{}, write(t, "a.csv", raw), source.Options{})
			lines := strings.Split(got, "\n")
			require.Equal(t, c.line, lines[len(lines)-2], s.Encoding.Name)
			require.GreaterOrEqual(t, s.Encoding.Confidence, 0.5)
		})
	}
}

// TestFewLetters takes the most widespread encoding where a letter or two decide
// nothing, and reports that it is a guess.
func TestFewLetters(t *testing.T) {
	for _, cell := range []string{"NAüT", "bN/AüTern"} {
		enc, err := source.EncoderByName("windows-1252")
		require.NoError(t, err)
		raw, err := enc.NewEncoder().Bytes([]byte("No;Name\n1;" + cell + "\n2;gnat\n"))
		require.NoError(t, err)
		got, s := readAll(t, &source.Opener{}, write(t, "a.csv", raw), source.Options{})
		require.Contains(t, got, cell)
		require.Less(t, s.Encoding.Confidence, source.WeakGuess)
	}
	_, s := readAll(t, &source.Opener{}, write(t, "a.csv", []byte("No;Name\n1;r\x9atlich\n2;ge\x9affnet\n3;Br\x9atchen\n")), source.Options{})
	require.Less(t, s.Encoding.Confidence, source.WeakGuess, "one letter in another encoding")
}
