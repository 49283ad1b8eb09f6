-- MySQL dump 10.13  Distrib 8.0.36, for Linux (x86_64)
--
-- Host: localhost    Database: brackenfold
-- ------------------------------------------------------
-- Server version	8.0.36

/*!40101 SET @OLD_CHARACTER_SET_CLIENT=@@CHARACTER_SET_CLIENT */;
/*!50503 SET NAMES utf8mb4 */;
/*!40103 SET @OLD_TIME_ZONE=@@TIME_ZONE */;
/*!40014 SET @OLD_UNIQUE_CHECKS=@@UNIQUE_CHECKS, UNIQUE_CHECKS=0 */;
SET @MYSQLDUMP_TEMP_LOG_BIN = @@SESSION.SQL_LOG_BIN;
SET @@SESSION.SQL_LOG_BIN= 0;
SET @@GLOBAL.GTID_PURGED=/*!80000 '+'*/ '';

DROP TABLE IF EXISTS `keeper`;
/*!40101 SET @saved_cs_client     = @@character_set_client */;
/*!50503 SET character_set_client = utf8mb4 */;
CREATE TABLE `keeper` (
  `id` bigint unsigned NOT NULL AUTO_INCREMENT,
  `uid` binary(16) NOT NULL DEFAULT (uuid_to_bin(uuid())),
  `email` varchar(255) CHARACTER SET utf8mb4 COLLATE utf8mb4_0900_as_cs NOT NULL,
  `name` varchar(100) NOT NULL DEFAULT '',
  `secret` varchar(20) DEFAULT NULL /*!80023 INVISIBLE */,
  `meta` json DEFAULT NULL,
  `tags` json DEFAULT (json_array()),
  `domain` varchar(255) GENERATED ALWAYS AS (substring_index(`email`,_utf8mb4'@',-1)) STORED,
  `age` tinyint DEFAULT NULL,
  `created_at` timestamp(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6) ON UPDATE CURRENT_TIMESTAMP(6),
  `price` decimal(10,2) NOT NULL DEFAULT '0.00',
  `geo` point NOT NULL /*!80003 SRID 4326 */,
  PRIMARY KEY (`id`),
  UNIQUE KEY `email` (`email`),
  KEY `lower_name` ((lower(`name`))),
  KEY `by_age` (`age` DESC) /*!80000 INVISIBLE */,
  KEY `tagged` ((cast(json_extract(`tags`,_utf8mb4'$') as char(40) array))),
  FULLTEXT KEY `ft` (`name`),
  SPATIAL KEY `geo` (`geo`),
  CONSTRAINT `keeper_chk_1` CHECK ((`age` >= 18)),
  CONSTRAINT `adult` CHECK ((`age` < 150)) /*!80016 NOT ENFORCED */
) ENGINE=InnoDB AUTO_INCREMENT=7 DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_0900_ai_ci COMMENT='who keeps';
/*!40101 SET character_set_client = @saved_cs_client */;
CREATE TABLE `visit` (
  `id` int NOT NULL AUTO_INCREMENT,
  `keeper_id` bigint unsigned NOT NULL,
  `at` datetime NOT NULL DEFAULT CURRENT_TIMESTAMP, `n1` int DEFAULT (1 + 1), `t1` varchar(9) DEFAULT "x", `u1` char(36) DEFAULT (uuid()), `f1` double DEFAULT -1.5, `b1` bit(3) DEFAULT b'101', `d1` date DEFAULT (curdate()),
  `state` enum('open','closed') NOT NULL DEFAULT 'open',
  `bits` set('a','b') DEFAULT NULL,
  PRIMARY KEY (`id`,`at`),
  KEY `c` (`keeper_id`),
  CONSTRAINT `visit_ibfk_1` FOREIGN KEY (`keeper_id`) REFERENCES `keeper` (`id`) ON DELETE RESTRICT
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_0900_ai_ci
;
CREATE TABLE `log` (`at` date NOT NULL, `n` int) ENGINE=InnoDB DEFAULT CHARSET=utf8mb3
/*!50100 PARTITION BY RANGE (year(`at`))
(PARTITION p0 VALUES LESS THAN (2020) ENGINE = InnoDB,
 PARTITION p1 VALUES LESS THAN MAXVALUE ENGINE = InnoDB) */;
/*!50001 DROP VIEW IF EXISTS `open_ones`*/;
SET @saved_cs_client     = @@character_set_client;
/*!50001 CREATE VIEW `open_ones` AS SELECT 
 1 AS `id`,
 1 AS `at`*/;
/*!50003 SET sql_mode              = 'ONLY_FULL_GROUP_BY' */ ;
DELIMITER ;;
/*!50003 CREATE*/ /*!50017 DEFINER=`root`@`localhost`*/ /*!50003 TRIGGER `keeper_bi` BEFORE INSERT ON `keeper` FOR EACH ROW begin set new.name = trim(new.name); end */;;
DELIMITER ;
/*!50001 DROP VIEW IF EXISTS `open_ones`*/;
/*!50001 CREATE ALGORITHM=UNDEFINED */
/*!50013 DEFINER=`root`@`localhost` SQL SECURITY DEFINER */
/*!50001 VIEW `open_ones` AS select `visit`.`id` AS `id`,`visit`.`at` AS `at` from `visit` where (`visit`.`state` = 'open') */;
SET @@SESSION.SQL_LOG_BIN = @MYSQLDUMP_TEMP_LOG_BIN;
-- Dump completed on 2024-05-01 10:00:00
