package source

import (
	"strings"
	"unicode"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/korean"
	"golang.org/x/text/encoding/simplifiedchinese"
	"golang.org/x/text/encoding/traditionalchinese"
)

// candidate is an East Asian encoding and the script of its texts.
type candidate struct {
	name     string
	encoding encoding.Encoding
	script   *script
}

var eastAsian = []candidate{
	{"shift_jis", japanese.ShiftJIS, japaneseScript},
	{"euc-jp", japanese.EUCJP, japaneseScript},
	{"euc-kr", korean.EUCKR, koreanScript},
	{"gb18030", simplifiedchinese.GB18030, simplifiedScript},
	{"big5", traditionalchinese.Big5, traditionalScript},
}

// script describes the characters of a language.
type script struct {
	frequent  string // the characters that texts and tables use most
	alphabets []*unicode.RangeTable
	letter    float64 // how typical a letter of the alphabets is
	// standard, unless nil, divides the Chinese characters into common and rare ones. The first byte
	// of a common one is from first to last, and its second byte at least second.
	standard            encoding.Encoding
	first, last, second byte
}

var (
	japaneseScript = &script{
		frequent:  "日一国会人年大十二本中長出三同時政事自行社見月分議後前民生連五発間対上部東者党地合市業内相方四定今回新場金員九入選立開手米力学問高代明実円関決子動京全目表戦経通外最言氏現理調体化田当八六約主題下首意法不来作性的要用制治度務強気小七成期公野協取都和統以機平総加山思家話世受区領多県続進正安設保改数記院女初北午指権心界支第産結百派点教報済書府活原先共得解名交資予川向際査勝面委告軍文反元重近千考判認画海参売利組知案道信策集在件団別物側任引使求所次水半品昨論計死官増係感特情投示変打男基私各始島直両朝革価式確村提運終挙果西勢減台広容必応演電歳住争談能無再位置企真流格有疑口過局少放税検藤町常校料沢裁状工建語球営空職証土与急止送援供可役構木割聞身費付施切由説転食比難防補車優夫研収断井何南石足違消境神番規術護展態導備宅配算視条究席乗店残線率病農州武声質待試族象銀域助例限親額環験商葉働形景好退準造英被株頭技低毎医去味負門写評課末守若種岡福蔵量松観察整白深答夜票音申様財港号丁秒佐鈴橋渡辺伊林斎清池阪札幌岐埼静愛媛香徳熊鹿沖縄",
		alphabets: []*unicode.RangeTable{unicode.Hiragana, unicode.Katakana}, letter: 1,
		standard: japanese.EUCJP, first: 0xb0, last: 0xcf, second: 0xa1,
	}
	koreanScript = &script{
		frequent:  "이다는의에가을고하한로사기지도은서인자어나시대리정아장수부일전원상성보주구동제해여과스관비공국그경유조신면선등세있으라안만소들를니게년월마무야모거치물연생중진재계발적행용분우당업방회단내학산러출최위개문명음영식간강민교음남북름호통트터번화타결저실증통현박김권임황송오홍양손배백허심노곽종광천울포창평목입합할작품표격반설건법군읍면길층매임차특별완",
		alphabets: []*unicode.RangeTable{unicode.Hangul}, letter: 0.6,
	}
	simplifiedScript = &script{
		frequent: "的一是不了在人有我他这个们中来上大为和国地到以说时要就出会可也你对生能而子那得于着下自之年过发后作里用道行所然家种事成方多经么去法学如都同现当没动面起看定天分还进好小部其些主样理心她本前开但因只从想实日军者意无力它与长把机十民第公此已工使情明性知全三又关点正业外将两高间由问很最重并物手应战向头文体政美相见被利什二等产或新己制身果加西斯月话合回特代内信表化老给世位次度门任常先海通教儿原东声提立及比员解水名真论处走义各入几口认条平系气题活尔更别打女变四神总何电数安少报才结反受目太量再感建务做接必场件计管期市直德资命山金指克许统区保至队形社便空决治展马科司五基眼书非则听白却界达光放强即像难且权思王象完设式色路记南品住告类求据程北边死张该交规万取拉格望觉术领共确传师观清今切院让识带导争运号县省镇乡村街巷室层楼栋单元男姓李刘陈杨赵黄周吴徐孙胡朱林何郭罗梁宋郑谢韩唐冯京津沪渝江苏浙湖广州深圳价格备注编订客户姓期额款税费商店厂房话址邮箱型状",
		standard: simplifiedchinese.GBK, first: 0xb0, last: 0xd7, second: 0xa1,
	}
	traditionalScript = &script{
		frequent: "的一是不了在人有我他這個們中來上大為和國地到以說時要就出會可也你對生能而子那得於著下自之年過發後作里用道行所然家種事成方多經麼去法學如都同現當沒動面起看定天分還進好小部其些主樣理心她本前開但因只從想實日軍者意無力它與長把機十民第公此已工使情明性知全三又關點正業外將兩高間由問很最重並物手應戰向頭文體政美相見被利什二等產或新己制身果加西斯月話合回特代內信表化老給世位次度門任常先海通教兒原東聲提立及比員解水名真論處走義各入幾口認條平系氣題活爾更別打女變四神總何電數安少報才結反受目太量再感建務做接必場件計管期市直德資命山金指克許統區保至隊形社便空決治展馬科司五基眼書非則聽白卻界達光放強即像難且權思王象完設式色路記南品住告類求據程北邊死張該交規萬取拉格望覺術領共確傳師觀清今切院讓識帶導爭運號縣鎮鄉村里鄰街巷弄室層樓男姓李劉陳楊趙黃周吳徐孫胡朱林郭羅梁宋鄭謝韓臺台灣桃園竹中投雲嘉義屏宜花蓮澎湖價格備註編訂客戶額款稅費商店廠房址郵箱型狀",
		standard: traditionalchinese.Big5, first: 0xa4, last: 0xc6,
	}
)

// worth returns how typical a character between two others is of the language, from 0 to 1.
func (s *script) worth(r, before, after rune) float64 {
	alone, frequent := before < 0x80 && after < 0x80, strings.ContainsRune(s.frequent, r)
	switch {
	case frequent && alone:
		return 0.7
	case frequent:
		return 1
	case isHalfWidth(r):
		return s.worthHalf(r, before, after)
	}
	worth := 0.0
	switch {
	case unicode.In(r, s.alphabets...) || r == 'ー' && s == japaneseScript:
		worth = s.letter
	case unicode.Is(unicode.Han, r) && s.common(r):
		worth = 0.55
	case unicode.Is(unicode.Han, r) && s.standard != nil:
		worth = 0.15
	case r >= '０' && r <= 'ｚ': // wide digits and letters
		worth = 0.5
	}
	if alone {
		worth *= aloneWorth
	}
	return worth
}

// common reports whether a character is one of the common ones of the standard.
func (s *script) common(r rune) bool {
	if s.standard == nil {
		return false
	}
	b, err := s.standard.NewEncoder().String(string(r))
	return err == nil && b[0] >= s.first && b[0] <= s.last && (len(b) < 2 || b[1] >= s.second)
}

// isHalfWidth reports whether a character is Katakana in half width.
func isHalfWidth(r rune) bool { return r >= 'ｦ' && r <= 'ﾟ' }

// worthHalf is worth of Katakana in half width, which come in words. Single ones come out of
// other encodings by chance. The two signs that change a sound stand only after those that
// have it.
func (s *script) worthHalf(r, before, after rune) float64 {
	voiced := before >= 'ｶ' && before <= 'ﾄ' || before >= 'ﾊ' && before <= 'ﾎ' || before == 'ｳ'
	switch {
	case s != japaneseScript:
		return 0
	case r == 'ﾞ' && voiced, r == 'ﾟ' && before >= 'ﾊ' && before <= 'ﾎ':
		return 1
	case r == 'ﾞ' || r == 'ﾟ':
		return -1
	case !isHalfWidth(before) && !isHalfWidth(after):
		return 0.1
	case r < 'ﾀ':
		return 0.9
	}
	return 0.6
}

// maxScored is how many characters of a sample are examined.
const maxScored = 5000

// score is how typical the decoded characters beyond ASCII are, 0 when any is
// not valid. The more words of two bytes a character are valid, the less likely is that by chance.
func (c *candidate) score(sample []byte) float64 {
	text, err := c.encoding.NewDecoder().Bytes(sample)
	if err != nil {
		return 0
	}
	runes := []rune(" " + string(text) + " ")
	sum, n, words := 0.0, 0, 0.0
	for i, r := range runes {
		if r < 0x80 || unicode.IsPunct(r) {
			continue
		}
		if runes[i-1] < 0x80 && !isHalfWidth(r) {
			words++
		}
		if r == unicode.ReplacementChar && i+5 < len(runes) {
			return 0
		}
		sum += c.script.worth(r, runes[i-1], runes[i+1])
		n++
		if n == maxScored {
			break
		}
	}
	return sum/float64(max(n, minTypical)) + validWords*words/(words+validHalf)
}

// validWords is what any number of valid words adds, and validHalf the number that adds half of it.
const (
	validWords = 0.3
	validHalf  = 10.0
)

// aloneWorth is the part of its worth that a character among ASCII has: words of these scripts are
// seldom as short.
const aloneWorth = 0.3

// minTypical is how many characters of a script say that text is in it: one may
// come out of other encodings by chance.
const minTypical = 4
