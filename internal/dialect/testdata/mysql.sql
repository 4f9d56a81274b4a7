SET NAMES utf8mb4;
SET SESSION sql_mode = 'STRICT_ALL_TABLES';
SET autocommit = 0;
CREATE TABLE museum.loan (
    loan_no                     integer               NOT NULL,
    part                        varchar(20)           NOT NULL,
    `order`                     smallint              DEFAULT -7,
    bigint_3                    bigint                COMMENT 'counts\nby ''ones''',
    decimal_4                   decimal(7,2)          DEFAULT 1.50,
    decimal_5                   decimal(38,0)         DEFAULT 12345678901234567890123,
    double_6                    double                DEFAULT 0.05,
    boolean_7                   boolean               DEFAULT true,
    date_8                      date                  DEFAULT '2026-01-05',
    date_9                      date                  DEFAULT '2026-02-05',
    time_0                      time(6)               DEFAULT '08:05:00',
    timestamp_1                 datetime(6)           DEFAULT '2026-01-05 00:00:00',
    text_12                     longtext              DEFAULT ('it''s\nlate'),
    timestamp_with_time_zone_3  datetime(6) /* UTC */ DEFAULT '2026-01-05 08:00:00',
    char_4                      char(5),
    uuid_5                      char(36),
    varchar_6                   varchar(16000),
    PRIMARY KEY (loan_no, part)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin COMMENT='Loans, it''s\nall of them';
CREATE INDEX loan_order_ix ON museum.loan (`order`);
CREATE INDEX loan_date_9_text_12_ix ON museum.loan (date_9, text_12);
COMMIT;
ALTER TABLE museum.loan ADD PRIMARY KEY (loan_no, part);
-- loan_no, part, `order`, bigint_3, decimal_4, decimal_5, double_6, boolean_7, date_8, date_9, time_0, timestamp_1, text_12, timestamp_with_time_zone_3, char_4, uuid_5, varchar_6
