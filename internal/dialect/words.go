package dialect

import (
	"maps"
	"slices"
	"strings"
)

func words(list string) map[string]bool {
	set := map[string]bool{}
	for _, w := range strings.Fields(list) {
		set[w] = true
	}
	return set
}

// postgresWords are the words that PostgreSQL's manual marks as reserved.
const postgresWords = `all analyse analyze and any array as asc asymmetric authorization
binary both case cast check collate collation column concurrently constraint create cross
current_catalog current_date current_role current_schema current_time current_timestamp
current_user default deferrable desc distinct do else end except false fetch for foreign
freeze from full grant group having ilike in initially inner intersect into is isnull join
lateral leading left like limit localtime localtimestamp natural not notnull null offset on
only or order outer overlaps placing primary references returning right select session_user
similar some symmetric system_user table tablesample then to trailing true union unique user
using variadic verbose when where window with`

// sqliteWords are the keywords that SQLite does not take as a bare name, or takes for a value.
const sqliteWords = `add all alter and as autoincrement between case cast check collate commit
constraint create current_date current_time current_timestamp default deferrable delete distinct
drop else escape except exists false foreign from group having if in index insert intersect into
is isnull join limit not nothing notnull null on or order primary raise references returning
select set table then to transaction true union unique update using values when where`

// mysqlWords are the words that MySQL 8 or MariaDB reserve.
const mysqlWords = `accessible add all alter analyze and as asc asensitive before between bigint
binary blob both by call cascade case change char character check collate column condition
constraint continue convert create cross cube cume_dist current_date current_role current_time
current_timestamp current_user cursor database databases day_hour day_microsecond day_minute
day_second dec decimal declare default delayed delete delete_domain_id dense_rank desc describe
deterministic distinct distinctrow div do_domain_ids double drop dual each else elseif empty
enclosed escaped except exists exit explain external false fetch first_value float float4 float8
for force foreign from fulltext function general generated get grant group grouping groups
having high_priority hour_microsecond hour_minute hour_second if ignore ignore_domain_ids
ignore_server_ids in index infile inner inout insensitive insert int int1 int2 int3 int4 int8
integer intersect interval into io_after_gtids io_before_gtids is iterate join json_table key
keys kill lag last_value lateral lead leading leave left library like limit linear lines load
localtime localtimestamp lock long longblob longtext loop low_priority manual
master_demote_to_replica master_demote_to_slave master_heartbeat_period
master_ssl_verify_server_cert match maxvalue mediumblob mediumint mediumtext middleint
minute_microsecond minute_second mod modifies natural no_write_to_binlog not nth_value ntile
null numeric of offset on optimize optimizer_costs option optionally or order out outer outfile
over page_checksum parallel parse_vcol_expr partition percent_rank portion position precision
primary procedure purge qualify range rank read read_write reads real recursive ref_system_id
references regexp release rename repeat replace require resignal restrict return returning
revoke right rlike row row_number rows schema schemas second_microsecond select sensitive
separator set show signal slow smallint spatial specific sql sql_big_result sql_buffer_result
sql_cache sql_calc_found_rows sql_no_cache sql_small_result sqlexception sqlstate sqlwarning ssl
starting stats_auto_recalc stats_persistent stats_sample_pages stored straight_join system table
tablesample terminated then tinyblob tinyint tinytext to trailing trigger true undo union unique
unlock unsigned update usage use using utc_date utc_time utc_timestamp values varbinary varchar
varcharacter varying virtual when where while window with write xor year_month zerofill`

// sqlServerWords are the words that SQL Server reserves.
const sqlServerWords = `add all alter and any as asc authorization backup begin between break browse
bulk by cascade case check checkpoint close clustered coalesce collate column commit compute
constraint contains containstable continue convert create cross current current_date current_time
current_timestamp current_user cursor database dbcc deallocate declare default delete deny desc disk
distinct distributed double drop dump else end errlvl escape except exec execute exists exit
external fetch file fillfactor for foreign freetext freetexttable from full function goto grant
group having holdlock identity identity_insert identitycol if in index inner insert intersect into
is join key kill left like lineno load merge national nocheck nonclustered not null nullif of off
offsets on open opendatasource openquery openrowset openxml option or order outer over percent pivot
plan precision primary print proc procedure public raiserror read readtext reconfigure references
replication restore restrict return revert revoke right rollback rowcount rowguidcol rule save
schema securityaudit select semantickeyphrasetable semanticsimilaritydetailstable
semanticsimilaritytable session_user set setuser shutdown some statistics system_user table
tablesample textsize then to top tran transaction trigger truncate try_convert tsequal union unique
unpivot update updatetext use user values varying view waitfor when where while with within
writetext`

// oracleWords are the words that Oracle reserves, and those of its SQL*Plus.
const oracleWords = `access add all alter and any as asc audit between by char check cluster column
column_value comment compress connect create current date decimal default delete desc distinct drop
else exclusive exists file float for from grant group having identified immediate in increment index
initial insert integer intersect into is level like lock long maxextents minus mlslabel mode modify
nested_table_id noaudit nocompress not nowait null number of offline on online option or order
pctfree prior public raw rename resource revoke row rowid rownum rows select session set share size
smallint start successful synonym sysdate table then to trigger uid union unique update user
validate values varchar varchar2 view whenever where with`

// ansiWords are words that SQL:2016 reserves and that name columns.
const ansiWords = `abs absolute acos action add after all allocate alter and any are array as asc
asymmetric at atomic authorization avg before begin between bigint binary blob boolean both by call
called cardinality cascade case cast ceil ceiling char character check clob close coalesce collate
collect column commit condition connect constraint contains convert copy corr count create cross cube
current cursor cycle date day deallocate dec decimal declare default define delete deref desc
describe deterministic disconnect distinct double drop dynamic each element else empty end equals
escape every except exec execute exists exp external extract false fetch filter first float floor for
foreign free from full function fusion get global grant group grouping groups having hold hour
identity in indicator initial inner inout insert int integer intersect intersection interval into is
join language large last lateral leading left like limit listagg ln local localtime localtimestamp
log lower match max measures member merge method min minute mod modifies module month multiset
national natural new no none normalize not null nullif numeric of offset old omit on one only open
or order out outer over overlaps overlay parameter partition pattern per percent percentile_cont
period portion position power precedes precision prepare primary procedure range rank reads real
recursive ref references referencing release result return returns revoke right rollback rollup row
rows running savepoint scope scroll search second seek select sensitive session_user set show similar
sin skip smallint some specific sql start static stddev_pop submultiset subset substring succeeds sum
symmetric system system_time system_user table tablesample tan then time timestamp timezone_hour
timezone_minute to trailing translate translation treat trigger trim true truncate uescape union
unique unknown unnest update upper user using value values varbinary varchar varying versioning when
whenever where width_bucket window with within without year`

// ReservedWords lists every word that any of the servers reserves.
func ReservedWords() []string {
	all := map[string]bool{}
	for _, d := range All() {
		maps.Copy(all, d.reserved)
	}
	return slices.Sorted(maps.Keys(all))
}
