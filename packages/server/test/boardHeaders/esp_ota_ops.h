// A stand-in of the header that knows two places for programs.
#pragma once
#include <stddef.h>
#include <stdio.h>
typedef int esp_err_t;
#define ESP_OK 0
typedef enum { ESP_OTA_IMG_PENDING_VERIFY = 1, ESP_OTA_IMG_VALID = 2 } esp_ota_img_states_t;
struct esp_partition_t {};
static esp_partition_t firstPlace, secondPlace;
static esp_ota_img_states_t placeState = ESP_OTA_IMG_PENDING_VERIFY;
inline const esp_partition_t* esp_ota_get_next_update_partition(const esp_partition_t*) { return &secondPlace; }
inline const esp_partition_t* esp_ota_get_running_partition() { return &firstPlace; }
inline esp_err_t esp_ota_get_state_partition(const esp_partition_t*, esp_ota_img_states_t* state) { *state = placeState; return ESP_OK; }
inline esp_err_t esp_ota_mark_app_valid_cancel_rollback() { placeState = ESP_OTA_IMG_VALID; printf("program stays\n"); return ESP_OK; }
inline esp_err_t esp_ota_mark_app_invalid_rollback_and_reboot() { printf("program gives way\n"); return ESP_OK; }
