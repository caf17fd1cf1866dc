BEGIN TRANSACTION;
CREATE TABLE about (
	version INTEGER NOT NULL
);
INSERT INTO "about" VALUES(4);
CREATE TABLE deliveries (
	id INTEGER NOT NULL, 
	message_id INTEGER NOT NULL, 
	address TEXT NOT NULL, 
	state VARCHAR NOT NULL, 
	code INTEGER, 
	reply TEXT NOT NULL, 
	at VARCHAR, 
	attempts INTEGER NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(message_id) REFERENCES messages (id)
);
INSERT INTO "deliveries" VALUES(1,1,'f00042@members.tarnvale.example','sent',250,'taken','2026-11-29T02:47:13.618+00:00',1);
INSERT INTO "deliveries" VALUES(2,2,'f117@members.tarnvale.example','unsure',NULL,'connection lost before the answer','2026-11-29T02:47:13.624+00:00',1);
INSERT INTO "deliveries" VALUES(3,3,'f118@members.tarnvale.example','waiting',NULL,'',NULL,0);
INSERT INTO "deliveries" VALUES(4,4,'f119@members.tarnvale.example','refused',550,'no such box','2026-11-29T02:47:13.627+00:00',0);
INSERT INTO "deliveries" VALUES(5,5,'f120@members.tarnvale.example','handing',NULL,'',NULL,0);
CREATE TABLE documents (
	id INTEGER NOT NULL, 
	package_id INTEGER NOT NULL, 
	name TEXT NOT NULL, 
	report VARCHAR NOT NULL, 
	format VARCHAR NOT NULL, 
	sha256 VARCHAR(64) NOT NULL, 
	bytes INTEGER NOT NULL, 
	pages INTEGER, 
	rows INTEGER NOT NULL, 
	content VARCHAR(64) NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id)
);
INSERT INTO "documents" VALUES(1,1,'00042 statement.pdf','statement','pdf','a5a7e466a7f6fddf78ba6413bd95a99a87aecfd4a42cddf0c35eb52c7531502f',18863,1,1,'a5a7e466a7f6fddf78ba6413bd95a99a87aecfd4a42cddf0c35eb52c7531502f');
INSERT INTO "documents" VALUES(2,2,'117 statement.pdf','statement','pdf','1e381be72281e76ef328c9bea0f14557cdc919fec95aad0f07c713c9e88249f2',18864,1,1,'1e381be72281e76ef328c9bea0f14557cdc919fec95aad0f07c713c9e88249f2');
INSERT INTO "documents" VALUES(3,3,'118 statement.pdf','statement','pdf','a5c474077f4091c6cd113df9bfb8ce6593b2b069db62910b9b9cf874023f3825',18866,1,1,'a5c474077f4091c6cd113df9bfb8ce6593b2b069db62910b9b9cf874023f3825');
INSERT INTO "documents" VALUES(4,4,'119 statement.pdf','statement','pdf','8dfda433905989fd13da42858a193636792aad010bf9296c3339781327d54b92',18858,1,1,'8dfda433905989fd13da42858a193636792aad010bf9296c3339781327d54b92');
INSERT INTO "documents" VALUES(5,5,'120 statement.pdf','statement','pdf','d6b31d0f816d6c7a8db1a9e8073ed20880f30e753a4cf0d6302e4212df0d8733',18859,1,1,'d6b31d0f816d6c7a8db1a9e8073ed20880f30e753a4cf0d6302e4212df0d8733');
CREATE TABLE events (
	id INTEGER NOT NULL, 
	run_id INTEGER NOT NULL, 
	package_id INTEGER, 
	at VARCHAR NOT NULL, 
	what TEXT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id)
);
INSERT INTO "events" VALUES(1,1,NULL,'2026-11-29T02:47:11.157+00:00','preparing');
INSERT INTO "events" VALUES(2,1,1,'2026-11-29T02:47:11.226+00:00','ready');
INSERT INTO "events" VALUES(3,1,2,'2026-11-29T02:47:11.226+00:00','ready');
INSERT INTO "events" VALUES(4,1,3,'2026-11-29T02:47:11.226+00:00','held: more than the tank holds');
INSERT INTO "events" VALUES(5,1,4,'2026-11-29T02:47:11.226+00:00','ready');
INSERT INTO "events" VALUES(6,1,5,'2026-11-29T02:47:11.226+00:00','ready');
INSERT INTO "events" VALUES(7,1,NULL,'2026-11-29T02:47:11.251+00:00','prepared');
INSERT INTO "events" VALUES(8,1,1,'2026-11-29T02:47:12.395+00:00','trial to me@tarnvale.example: sent');
INSERT INTO "events" VALUES(9,1,1,'2026-11-29T02:47:13.609+00:00','archive: a/00042 statement.pdf: sent');
INSERT INTO "events" VALUES(10,1,1,'2026-11-29T02:47:13.618+00:00','f00042@members.tarnvale.example: sent (250 taken)');
INSERT INTO "events" VALUES(11,1,2,'2026-11-29T02:47:13.620+00:00','archive: a/117 statement.pdf: sent');
INSERT INTO "events" VALUES(12,1,2,'2026-11-29T02:47:13.624+00:00','f117@members.tarnvale.example: unsure (connection lost before the answer)');
INSERT INTO "events" VALUES(13,1,4,'2026-11-29T02:47:13.626+00:00','archive: a/119 statement.pdf: sent');
INSERT INTO "events" VALUES(14,1,4,'2026-11-29T02:47:13.627+00:00','f119@members.tarnvale.example: refused (550 no such box)');
CREATE TABLE filings (
	id INTEGER NOT NULL, 
	package_id INTEGER NOT NULL, 
	way VARCHAR NOT NULL, 
	root VARCHAR NOT NULL, 
	place TEXT NOT NULL, 
	existing VARCHAR NOT NULL, 
	sha256 VARCHAR(64) NOT NULL, 
	state VARCHAR NOT NULL, 
	put_at TEXT NOT NULL, 
	reply TEXT NOT NULL, 
	at VARCHAR, 
	PRIMARY KEY (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id)
);
INSERT INTO "filings" VALUES(1,1,'folder','archive','a/00042 statement.pdf','keep both','a5a7e466a7f6fddf78ba6413bd95a99a87aecfd4a42cddf0c35eb52c7531502f','sent','a/00042 statement.pdf','','2026-11-29T02:47:13.608+00:00');
INSERT INTO "filings" VALUES(2,2,'folder','archive','a/117 statement.pdf','keep both','1e381be72281e76ef328c9bea0f14557cdc919fec95aad0f07c713c9e88249f2','sent','a/117 statement.pdf','','2026-11-29T02:47:13.620+00:00');
INSERT INTO "filings" VALUES(3,3,'folder','archive','a/118 statement.pdf','keep both','a5c474077f4091c6cd113df9bfb8ce6593b2b069db62910b9b9cf874023f3825','waiting','','',NULL);
INSERT INTO "filings" VALUES(4,4,'folder','archive','a/119 statement.pdf','keep both','8dfda433905989fd13da42858a193636792aad010bf9296c3339781327d54b92','sent','a/119 statement.pdf','','2026-11-29T02:47:13.626+00:00');
INSERT INTO "filings" VALUES(5,5,'folder','archive','a/120 statement.pdf','keep both','d6b31d0f816d6c7a8db1a9e8073ed20880f30e753a4cf0d6302e4212df0d8733','waiting','','',NULL);
CREATE TABLE messages (
	id INTEGER NOT NULL, 
	package_id INTEGER NOT NULL, 
	message_id VARCHAR NOT NULL, 
	called VARCHAR NOT NULL, 
	subject TEXT NOT NULL, 
	sender TEXT NOT NULL, 
	server VARCHAR NOT NULL, 
	"to" JSON NOT NULL, 
	cc JSON NOT NULL, 
	bcc JSON NOT NULL, 
	files JSON NOT NULL, 
	sha256 VARCHAR(64) NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id), 
	UNIQUE (message_id)
);
INSERT INTO "messages" VALUES(1,1,'<1db27ac5229c596d1223970e97c2be3a@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f00042@members.tarnvale.example"]','[]','[]','["00042 statement.pdf"]','8225605852ef1d57dd18d410bbf71db55e7f6ead2b407b11b546599599b0467d');
INSERT INTO "messages" VALUES(2,2,'<99207ec483e1928cfef8f65360c0ddae@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f117@members.tarnvale.example"]','[]','[]','["117 statement.pdf"]','c197a0b9171ac0b4c3058b72700f7738dbcb3e60f96d02ebbc3674909c45c338');
INSERT INTO "messages" VALUES(3,3,'<e2c7da9dfc1991a285a3a74103d5b665@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f118@members.tarnvale.example"]','[]','[]','["118 statement.pdf"]','d6ce58a428c12f49fb76e42d0fd5000bc94b82ba2301ae67325a594690dd3a49');
INSERT INTO "messages" VALUES(4,4,'<c46d054e32452a6ca2f8ae89c76a2520@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f119@members.tarnvale.example"]','[]','[]','["119 statement.pdf"]','dd33f1459fe1095dc2619d2513919559b3653a8d112003c581bbf39d4c8bb096');
INSERT INTO "messages" VALUES(5,5,'<d9067da926c2374b0f8fa741d19653c7@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f120@members.tarnvale.example"]','[]','[]','["120 statement.pdf"]','64e36cef83f96f1772563c3c1c9654da61fd0ef087e266f6923e6081f4a5be7c');
CREATE TABLE packages (
	id INTEGER NOT NULL, 
	run_id INTEGER NOT NULL, 
	"key" TEXT NOT NULL, 
	name TEXT NOT NULL, 
	state VARCHAR NOT NULL, 
	prepared_as VARCHAR NOT NULL, 
	reason TEXT NOT NULL, 
	rows INTEGER NOT NULL, 
	figures JSON NOT NULL, 
	odd JSON NOT NULL, 
	seal VARCHAR(64) NOT NULL, 
	steps JSON NOT NULL, 
	keys JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id)
);
INSERT INTO "packages" VALUES(1,1,'00042','Farm 00042','sent','ready','',1,'{"rows": "1", "payable": "588.05"}','[]','a4e85bd309c19a6e37cfe49a9a18217b31627d77eb09f4e5d0ec654c6e4b43ea','[["a lot", false, [], []]]','[]');
INSERT INTO "packages" VALUES(2,1,'117','Farm 117','unsure','ready','f117@members.tarnvale.example: connection lost before the answer',1,'{"rows": "1", "payable": "392.40"}','[]','ebf002ecf712b8cb4a178d946b805d1fb33a4b99d8267ad8185cf2e3e48ac57f','[["a lot", false, [], []]]','[]');
INSERT INTO "packages" VALUES(3,1,'118','Farm 118','held','held','more than the tank holds',1,'{"rows": "1", "payable": "3136.00"}','[]','91d7b1d78e7231dfa7d989f58f52b1e5df47eb675d34818ff8c329c0517de213','[["a lot", true, ["hold: more than the tank holds"], []]]','[]');
INSERT INTO "packages" VALUES(4,1,'119','Farm 119','failed','ready','f119@members.tarnvale.example: no such box',1,'{"rows": "1", "payable": "10.00"}','[]','920843b2aa60e1f85090eed66d121811bd7e914a1ff69cabdb1ed69970d95c49','[["a lot", false, [], []]]','[]');
INSERT INTO "packages" VALUES(5,1,'120','Farm 120','ready','ready','',1,'{"rows": "1", "payable": "11.00"}','[]','a6917211d8151b2c746ec67c7fce91baf7a692be8b80fe719769a819d2290fd9','[["a lot", false, [], []]]','[]');
CREATE TABLE runs (
	id INTEGER NOT NULL, 
	job VARCHAR NOT NULL, 
	title TEXT NOT NULL, 
	job_sha256 VARCHAR(64) NOT NULL, 
	state VARCHAR NOT NULL, 
	as_of VARCHAR(10) NOT NULL, 
	prepared VARCHAR NOT NULL, 
	seconds INTEGER NOT NULL, 
	parameters JSON NOT NULL, 
	period VARCHAR NOT NULL, 
	account JSON NOT NULL, 
	findings JSON NOT NULL, 
	reviewed VARCHAR, 
	PRIMARY KEY (id)
);
INSERT INTO "runs" VALUES(1,'statements','Milk statements','236fbe61269ab0c4ffffc9bce818612a94a952ed07e1950d5fc2c5473f4c5bd2','prepared','2026-11-05','2026-11-29T02:47:11.154+00:00',351,'{"period": "2026-10"}','period 2026-10','{"measured": {"recipients": 5, "totals": {"rows": "5", "payable": "4137.45"}}, "read": 5, "delivered": 4, "withheld": {"rule": 1}, "controls": [{"column": "amount", "whole": "4137.45", "delivered": "1001.45", "withheld": "3136.00"}]}','[]',NULL);
CREATE TABLE trials (
	id INTEGER NOT NULL, 
	message_id INTEGER NOT NULL, 
	address TEXT NOT NULL, 
	state VARCHAR NOT NULL, 
	code INTEGER, 
	reply TEXT NOT NULL, 
	at VARCHAR NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(message_id) REFERENCES messages (id)
);
INSERT INTO "trials" VALUES(1,1,'me@tarnvale.example','sent',250,'taken','2026-11-29T02:47:12.394+00:00');
CREATE TABLE write_backs (
	package_id INTEGER NOT NULL, 
	state VARCHAR NOT NULL, 
	at VARCHAR NOT NULL, 
	PRIMARY KEY (package_id), 
	FOREIGN KEY(package_id) REFERENCES packages (id)
);
CREATE UNIQUE INDEX packages_by_run ON packages (run_id, "key");
CREATE INDEX ix_documents_package_id ON documents (package_id);
CREATE INDEX ix_messages_package_id ON messages (package_id);
CREATE INDEX ix_filings_package_id ON filings (package_id);
CREATE INDEX filings_by_place ON filings (root, put_at);
CREATE INDEX ix_events_run_id ON events (run_id);
CREATE INDEX ix_events_package_id ON events (package_id);
CREATE INDEX ix_deliveries_message_id ON deliveries (message_id);
CREATE INDEX ix_trials_message_id ON trials (message_id);
COMMIT;
